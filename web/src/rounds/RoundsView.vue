<script setup lang="ts">
/** Rounds: many machines upgraded together. */
import { ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, Refusal, wordsOf, type RoundLine } from '@/api/client'
import { session } from '@/frame/session'
import { useLoaded } from '@/frame/live'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { age, plural } from '@/ui/words'
import AskedForm from './AskedForm.vue'
import { dayWords, STATES, type Asked } from './words'

useTitle(() => 'Rounds')
const router = useRouter()
const rounds = shallowRef<RoundLine[]>()
const wrong = ref('')
const making = ref(false)
const fault = ref('')
const empty: Asked = {
  machines: [],
  waves: [],
  needs: {},
  closed: {},
  pins: {},
  budget: null,
  passing_on: true,
  keep_warranty: false,
  third_party: true,
  short_gb: '20',
  lead_untold: 14,
  soak_days: 3,
}

useLoaded(
  () => 0,
  async () => {
    try {
      rounds.value = await ask(api.GET('/api/rounds'))
      wrong.value = ''
    } catch (error) {
      wrong.value = wordsOf(error)
    }
  },
)
async function make(asked: Asked, name: string): Promise<void> {
  try {
    const made = await ask(api.POST('/api/rounds', { body: { name, asked } }))
    await router.push(`/rounds/${made.id}`)
  } catch (error) {
    fault.value =
      error instanceof Refusal && error.problem.errors?.length
        ? error.problem.errors.map((e) => e.message).join('; ')
        : wordsOf(error)
  }
}
</script>

<template>
  <div class="page rounds">
    <header>
      <h1>Rounds</h1>
      <span class="faded">many machines upgraded together, in waves</span>
      <button v-if="session.mayWrite() && !making" type="button" class="press slim" @click="making = true">
        New round
      </button>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <AskedForm v-if="making" :asked="empty" fresh :fault="fault" @save="make" @cancel="making = false" />
    <p v-if="rounds && !rounds.length && !making" class="faded">
      No round yet. One serves many machines together: what comes out of one goes into the next, kits are bought once,
      no duty group has two open.
    </p>
    <ul v-if="rounds?.length" class="list">
      <li v-for="r in rounds" :key="r.id">
        <SeverityMark :severity="STATES[r.state].severity" />
        <span
          ><router-link class="name" :to="`/rounds/${r.id}`">{{ r.name }}</router-link
          >{{ ' ' }}
          <span class="faded small">{{ plural(r.machines, 'machine') }} in {{ plural(r.waves, 'wave') }}</span></span
        >
        <span
          >{{ STATES[r.state].words }}<template v-if="r.plans">: {{ r.done }} of {{ r.plans }} done</template></span
        >
        <span v-if="r.first_day && r.last_day" class="small"
          >{{ dayWords(r.first_day) }} to {{ dayWords(r.last_day) }}</span
        >
        <span class="faded small">{{ r.by }}, {{ age(r.updated_at) }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: baseline;
}
header .press {
  margin-left: auto;
}
.list {
  list-style: none;
  margin: 0;
  padding: 0;
}
.list li {
  display: grid;
  grid-template-columns: 16px minmax(0, 2fr) minmax(0, 1.4fr) minmax(0, 1.2fr) minmax(0, 0.8fr);
  gap: 4px 14px;
  align-items: center;
  padding: 9px 16px;
  border-bottom: 1px solid var(--rule);
}
.name {
  font-weight: 650;
  color: var(--ink);
  text-decoration: none;
}
@media (max-width: 700px) {
  .list li {
    grid-template-columns: 16px minmax(0, 1fr);
  }
  .list li > :nth-child(n + 3) {
    grid-column: 2;
  }
}
</style>

<script setup lang="ts">
/** Everything looked after, with its state at a glance. */
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, ask, wordsOf, type MachineLine, type MachinePage } from '@/api/client'
import { health } from '@/api/health'
import { oneAtATime } from '@/api/turns'
import { useLoaded } from '@/frame/live'
import { session } from '@/frame/session'
import { useTogether } from '@/ui/together'
import { plural } from '@/ui/words'
import { useTitle } from '@/ui/title'
import ChangedVerdicts from './ChangedVerdicts.vue'
import ChosenBar from './ChosenBar.vue'
import MachinesWall from './MachinesWall.vue'
import TwinsList from './TwinsList.vue'
import WaitingList from './WaitingList.vue'
import type { By } from './wall'

useTitle(() => 'Machines')

const page = shallowRef<MachinePage>()
/** What stands above the list is known. */
const { whole } = useTogether()
const route = useRoute()
const text = ref(typeof route.query.q === 'string' ? route.query.q : '')
watch(
  () => route.query.q,
  (q) => typeof q === 'string' && (text.value = q),
)
const number = ref(0)
type Show = 'all' | 'stop' | 'ask' | 'risk' | 'failed' | 'retired'
const show = ref<Show>('all')
const SHOWS: { key: Show; words: string }[] = [
  { key: 'all', words: 'all' },
  { key: 'stop', words: 'stopped' },
  { key: 'ask', words: 'to ask' },
  { key: 'risk', words: 'at risk' },
  { key: 'failed', words: 'failed' },
  { key: 'retired', words: 'retired' },
]
const by = ref<By>('')
const BYS: { key: By; words: string }[] = [
  { key: '', words: 'one list' },
  { key: 'place', words: 'places' },
  { key: 'group', words: 'duty groups' },
  { key: 'model', words: 'models' },
]
type Order = 'name' | 'worst' | 'oldest'
const order = ref<Order>('name')
const ORDERS: { key: Order; words: string }[] = [
  { key: 'name', words: 'by name' },
  { key: 'worst', words: 'worst first' },
  { key: 'oldest', words: 'oldest first' },
]
const KEPT_AS = 'umbrak-wall'
const dense = ref(localStorage.getItem(KEPT_AS) === 'dense')
watch(dense, (is) => localStorage.setItem(KEPT_AS, is ? 'dense' : 'roomy'))
const wrong = ref('')

const load = oneAtATime(async () => {
  try {
    const want = ['all', 'retired'].includes(show.value) ? undefined : (show.value as 'stop')
    page.value = await ask(
      api.GET('/api/machines', {
        params: {
          query: {
            q: text.value,
            page: number.value,
            order: order.value,
            by: by.value || undefined,
            want,
            retired: show.value === 'retired',
          },
        },
      }),
    )
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
watch([text, show, by, order], () => (number.value = 0))
useLoaded(() => [text.value, number.value, show.value, by.value, order.value], load)

const lines = computed(() => page.value?.machines ?? [])
/** Of all machines with the text, not of this page alone. */
const wanting = computed(() => (show.value === 'all' ? (page.value?.counts.wanting ?? 0) : 0))
const lastPage = computed(() => (page.value ? Math.max(0, Math.ceil(page.value.total / page.value.page_size) - 1) : 0))

/** How many have what is shown. */
const countOf = (key: Show) => (key === 'retired' ? null : page.value?.counts[key])
/** Machines that are chosen to be changed together, over all pages; or all that the list finds. */
const choosing = ref(false)
const chosen = ref(new Map<string, string>())
const allFound = ref(false)
watch(choosing, () => (chosen.value = new Map()))
watch([text, show, choosing], () => (allFound.value = false))
function choose(some: readonly MachineLine[], is: boolean): void {
  const next = new Map(chosen.value)
  for (const l of some) {
    if (is) next.set(l.id, l.name)
    else next.delete(l.id)
  }
  chosen.value = next
}
const asFound = computed(() => ({
  q: text.value,
  want: ['all', 'retired'].includes(show.value) ? null : (show.value as 'stop'),
  retired: show.value === 'retired',
}))
</script>

<template>
  <div class="machines">
    <header>
      <h1>Machines</h1>
      <span v-if="page" class="faded">
        {{ page.total }} looked after<template v-if="wanting"
          >, {{ wanting }} {{ wanting === 1 ? 'wants' : 'want' }} you</template
        >
      </span>
      <input
        v-model="text"
        type="search"
        class="search"
        placeholder="name, model, place, group"
        aria-label="Filter machines" />
      <button
        v-if="session.mayWrite()"
        type="button"
        class="quiet-link"
        :aria-pressed="choosing"
        @click="choosing = !choosing">
        {{ choosing ? 'Choose none' : 'Choose some' }}
      </button>
      <router-link class="quiet-link" to="/machines/many">Many at once</router-link>
      <router-link class="press" v-if="session.mayWrite()" to="/machines/new">New machine</router-link>
    </header>
    <p class="sentence">
      <span>Show</span>
      <span role="group" aria-label="Which machines"
        ><button
          v-for="w in SHOWS"
          :key="w.key"
          type="button"
          class="choice"
          :aria-pressed="show === w.key"
          @click="show = w.key">
          {{ w.words }} <span v-if="w.key !== 'retired'" class="faded count">{{ countOf(w.key) || '' }}</span>
        </button></span
      >
      <span>in</span>
      <span role="group" aria-label="Grouped by"
        ><button
          v-for="w in BYS"
          :key="w.key"
          type="button"
          class="choice"
          :aria-pressed="by === w.key"
          @click="by = w.key">
          {{ w.words }}
        </button></span
      >
      <span role="group" aria-label="In which order"
        ><button
          v-for="w in ORDERS"
          :key="w.key"
          type="button"
          class="choice"
          :aria-pressed="order === w.key"
          @click="order = w.key">
          {{ w.words }}
        </button></span
      >
      <span role="group" aria-label="How close"
        ><button type="button" class="choice" :aria-pressed="!dense" @click="dense = false">roomy</button
        ><button type="button" class="choice" :aria-pressed="dense" @click="dense = true">dense</button></span
      >
    </p>
    <div v-show="whole">
      <ChangedVerdicts />
      <TwinsList @merged="load" />
      <WaitingList @made="load" />
    </div>
    <p v-if="wrong && !health.trouble" class="wrong" role="alert">{{ wrong }}</p>
    <ChosenBar
      v-if="choosing && page"
      v-model:all="allFound"
      :chosen="chosen"
      :found="asFound"
      :total="page.total"
      @leave="choosing = false"
      @changed="load" />
    <div v-if="page && whole" class="panel list">
      <div v-if="!lines.length" class="none">
        <template v-if="text || show !== 'all'">
          No machine {{ show === 'all' ? '' : `(${SHOWS.find((w) => w.key === show)?.words})` }}
          {{ text ? `has “${text}” in its name, model, place or duty group` : 'is here' }}.
          <button type="button" class="quiet-link" @click="((text = ''), (show = 'all'))">Show all</button>
        </template>
        <template v-else>
          No machine yet.
          <router-link class="quiet-link" to="/machines/new">Make one from what it reports</router-link>: the listing of
          its SMBIOS tables, or the tables themselves.
        </template>
      </div>
      <MachinesWall
        v-else
        :page="page"
        :by="by"
        :dense="dense"
        :choosing="choosing"
        :chosen="chosen"
        :all="allFound"
        @choose="choose" />
      <footer v-if="lines.length" class="small faded">
        <span>{{ plural(page.total, 'machine') }}{{ lastPage ? `, page ${number + 1} of ${lastPage + 1}` : '' }}</span>
        <template v-if="lastPage">
          <button type="button" class="quiet-link" :disabled="number === 0" @click="number -= 1">Back</button>
          <button type="button" class="quiet-link" :disabled="number >= lastPage" @click="number += 1">On</button>
        </template>
      </footer>
    </div>
  </div>
</template>

<style scoped>
.machines {
  min-height: 100vh;
  background: var(--sheet);
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  padding: 10px 20px 8px 40px;
}
.search {
  margin-left: auto;
  width: min(360px, 100%);
  height: 36px;
  padding: 0 12px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--module-edge);
  border-radius: 4px;
}
.search::placeholder {
  color: var(--faded);
}
.list {
  overflow-x: auto;
  border-width: 1px 0 0;
  border-radius: 0;
}
.count {
  display: inline-block;
  min-width: 1.1em;
  text-align: left;
  font-weight: 400;
}
header,
.sentence {
  background: var(--paper);
}
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
  margin: 0;
  padding: 0 20px 8px 40px;
}
.none {
  padding: 40px;
  text-align: center;
}
footer {
  display: flex;
  gap: 14px;
  padding: 10px 16px;
  border-top: 1px solid var(--rule);
}
@media (max-width: 700px) {
  header,
  .sentence {
    padding-left: 14px;
  }
}
.wrong {
  color: var(--stop);
  padding: 0 8px;
}
</style>

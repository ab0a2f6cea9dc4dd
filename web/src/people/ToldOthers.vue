<script setup lang="ts">
/** For leads: addresses that are told what happens, and for how long bulk is kept. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type HookRow, type RetentionView } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { amountsIn, useForm } from '@/ui/form'
import { usePart } from '@/ui/together'
import { age } from '@/ui/words'

type About = 'machines' | 'access' | 'everything'
const ABOUT: Record<About, string> = {
  machines: 'machines and their plans',
  access: 'who comes in',
  everything: 'everything',
}
const known = usePart()
const hooks = shallowRef<HookRow[]>([])
const kept = shallowRef<RetentionView>()
const wrong = ref('')
/** Shown once: it is sealed. */
const secret = ref('')

async function load(): Promise<void> {
  const untouched = asKept.value
  ;[hooks.value, kept.value] = await Promise.all([
    ask(api.GET('/api/people/webhooks')),
    ask(api.GET('/api/people/retention')),
  ])
  if (untouched) Object.assign(days, kept.value.days)
}
async function run(work: () => Promise<unknown>): Promise<void> {
  wrong.value = ''
  try {
    await work()
    await load()
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
const at = (h: HookRow) => ({ params: { path: { hook_id: h.id } } })

const {
  values,
  faults,
  wrong: notAdded,
  sending,
  submit,
  clear,
} = useForm({ address: '', about: 'machines' as About }, async (f) => {
  secret.value = (await ask(api.POST('/api/people/webhooks', { body: { ...f } }))).secret
  clear()
  await load()
})
const {
  values: days,
  faults: dayFaults,
  wrong: notKept,
  sending: keeping,
  submit: keep,
} = useForm({ raw_reports: 0, attachments: 0, jobs: 0 }, async (f) => {
  kept.value = await ask(api.PUT('/api/people/retention', { body: amountsIn(f) }))
  Object.assign(days, kept.value.days)
})
/** Whether the form says what is kept already: nothing to send, and nothing that loading would overwrite. */
const asKept = computed(
  () =>
    !kept.value ||
    Object.entries(kept.value.days).every(([of, n]) => String(days[of as keyof typeof days]) === String(n)),
)
onMounted(() => run(async () => undefined).finally(known))
</script>

<template>
  <section class="panel" aria-labelledby="told-title">
    <h2 id="told-title">Told what happens</h2>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="secret" class="fresh" role="status">
      <b>Copy its secret now, it is shown this once:</b> <code>{{ secret }}</code>{{ ' ' }}
      <button type="button" class="quiet-link" @click="secret = ''">Seen</button>
    </p>
    <ul class="lines">
      <li v-for="h in hooks" :key="h.id">
        <span
          ><b class="mono address">{{ h.address }}</b> of {{ ABOUT[h.about as About]
          }}<template v-if="!h.active">, <b class="wrong">not told for now</b></template>
          <span class="faded small state"
            >{{ h.delivered_at ? `last had one ${age(h.delivered_at)}` : 'has had none yet'
            }}<template v-if="h.waiting">; {{ h.waiting }} wait</template
            ><template v-if="h.trouble"
              >: <span class="wrong">{{ h.trouble }}</span></template
            ></span
          ></span
        >
        <span class="acts">
          <button
            type="button"
            class="quiet-link"
            @click="run(() => ask(api.POST('/api/people/webhooks/{hook_id}/test', at(h))))">
            Send a test
          </button>
          <button
            type="button"
            class="quiet-link"
            @click="
              run(() => ask(api.PATCH('/api/people/webhooks/{hook_id}', { ...at(h), body: { active: !h.active } })))
            ">
            {{ h.active ? 'Not for now' : 'Tell it again' }}
          </button>
          <button
            type="button"
            class="quiet-link"
            @click="run(() => ask(api.DELETE('/api/people/webhooks/{hook_id}', at(h))))">
            End it
          </button>
        </span>
      </li>
      <li v-if="!hooks.length" class="faded">
        No address is told. One that is gets each line of the history as a signed request, until it answers; docs/api.md
        says how to check the signature.
      </li>
    </ul>
    <form class="made" @submit.prevent="submit">
      <label class="wide"
        >Address
        <input
          v-model="values.address"
          maxlength="500"
          required
          placeholder="https://10.4.0.9/umbrak"
          class="mono" /><FieldFault :of="faults" name="address"
      /></label>
      <label
        >Told of
        <select v-model="values.about">
          <option v-for="(words, a) in ABOUT" :key="a" :value="a">{{ words }}</option>
        </select></label
      >
      <button type="submit" class="press slim" :disabled="sending || !values.address">Have it told</button>
      <p v-if="notAdded" class="wrong" role="alert">{{ notAdded }}</p>
    </form>
  </section>
  <section class="panel" aria-labelledby="kept-title">
    <h2 id="kept-title">For how long bulk is kept</h2>
    <p class="faded small">Days; 0 is for good. What was read, ticked and decided is never removed.</p>
    <form class="made" @submit.prevent="keep">
      <label
        >Reports as they came <input v-model="days.raw_reports" inputmode="numeric" class="days" /><FieldFault
          :of="dayFaults"
          name="raw_reports"
      /></label>
      <label
        >Photos and logs, from a run's end
        <input v-model="days.attachments" inputmode="numeric" class="days" /><FieldFault
          :of="dayFaults"
          name="attachments"
      /></label>
      <label
        >Jobs that have ended <input v-model="days.jobs" inputmode="numeric" class="days" /><FieldFault
          :of="dayFaults"
          name="jobs"
      /></label>
      <button type="submit" class="press slim" :disabled="keeping || asKept">
        {{ asKept ? 'Kept so' : 'Keep it so' }}
      </button>
      <p v-if="notKept" class="wrong" role="alert">{{ notKept }}</p>
    </form>
    <p v-if="kept?.removed" class="small removed">
      Looked through {{ age(kept.removed.at) }}: {{ kept.removed.raw_reports }} reports,
      {{ kept.removed.attachments }} photos and logs, {{ kept.removed.jobs }} jobs removed.
    </p>
  </section>
</template>

<style scoped src="./panels.css"></style>
<style scoped>
.address {
  overflow-wrap: anywhere;
}
.state {
  display: block;
}
.wide {
  flex: 1 1 260px;
}
.wide input {
  width: 100%;
}
.removed {
  margin: 10px 0 0;
}
</style>

<script setup lang="ts">
/** What the machine shows now: by its service, by any report, or slot by slot by hand. */
import { ref } from 'vue'
import {
  api,
  ask,
  wordsOf,
  type Access,
  type Intake,
  type Layout,
  type MachineView,
  type ServiceKind,
} from '@/api/client'
import { gb } from '@/ui/figures'
import ReportInput from '@/intake/ReportInput.vue'
import FieldFaultWords from '@/ui/FieldFault.vue'
import { FieldFault, numbersIn, useForm } from '@/ui/form'

const props = defineProps<{
  machine: MachineView
  goal: Layout
  handled: string[]
  enter: (entry: Record<string, unknown>) => Promise<void>
}>()
const emit = defineEmits<{ leave: []; changed: [] }>()
const wrong = ref('')
const busy = ref('')
const byHand = ref(false)
/** What somebody says of each slot; a slot left out was not looked at, and is not proved by that. */
const said = ref<Record<string, 'as planned' | 'not seen'>>({})
const {
  values: totals,
  faults,
  wrong: unsent,
  sending,
  submit: seenByHand,
} = useForm({ installed: '', usable: '' }, async (f) => {
  const seen = Object.fromEntries(
    Object.entries(said.value).map(([s, how]) => [s, how === 'not seen' ? null : (props.goal[s] ?? null)]),
  )
  const numbers = numbersIn({ installed: f.installed, usable: f.usable })
  if (!Object.keys(seen).length && numbers.installed === null && numbers.usable === null)
    throw new FieldFault({ field: 'usable', message: 'Say what was looked at: slots, or a total.' })
  await props.enter({
    kind: 'survey',
    ...(Object.keys(seen).length ? { slots: seen } : {}),
    installed_gib: numbers.installed,
    usable_gib: numbers.usable,
  })
  emit('leave')
})
const path = (kind: string) => ({ params: { path: { machine_id: props.machine.id, kind: kind as ServiceKind } } })

async function act(name: string, work: () => Promise<void>): Promise<void> {
  busy.value = name
  wrong.value = ''
  try {
    await work()
    emit('leave')
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    busy.value = ''
  }
}
const took = (intake: Intake) => act('report', () => props.enter({ kind: 'survey', intake_id: intake.id }))
const askIt = (kind: string) =>
  act(kind, async () =>
    props.enter({
      kind: 'survey',
      intake_id: (await ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', path(kind)))).id,
    }),
  )
async function keepAndAsk(kind: ServiceKind, access: Access): Promise<Intake> {
  await ask(api.PUT('/api/machines/{machine_id}/services/{kind}', { ...path(kind), body: access }))
  emit('changed')
  return ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', path(kind)))
}
/** Slots that hold a module afterwards, and those that were emptied. */
const slots = props.machine.board.slots.filter(
  (s) => (props.goal[s.id] && props.goal[s.id] !== 'unknown') || props.handled.includes(s.id),
)
function sizeOf(slot: string): string {
  const m = props.goal[slot]
  return !m ? 'empty' : m === 'unknown' || !m.capacity_gib ? 'a module' : `${gb(m.capacity_gib)} GB`
}
const all = () => (said.value = Object.fromEntries(slots.map((s) => [s.id, 'as planned'])))
function say(slot: string, how: string): void {
  const next = { ...said.value }
  if (how) next[slot] = how as 'as planned' | 'not seen'
  else delete next[slot]
  said.value = next
}
</script>

<template>
  <section class="panel after" aria-labelledby="after-title">
    <div class="head">
      <h2 id="after-title">What does it show?</h2>
      <button type="button" class="quiet-link" @click="emit('leave')">Cancel</button>
    </div>
    <div v-for="s in machine.services" :key="s.kind" class="service">
      <button type="button" class="press slim" :disabled="!!busy" @click="askIt(s.kind)">
        {{ busy === s.kind ? 'Asking it' : `Ask it by ${s.kind === 'redfish' ? 'Redfish' : 'SNMP'}` }}
      </button>
      <span class="mono small faded">{{ s.address }}</span>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <button type="button" class="quiet-link" :aria-expanded="byHand" @click="byHand = !byHand">By hand</button>
    <form v-if="byHand" class="fields hand" aria-label="Seen by hand" @submit.prevent="seenByHand">
      <fieldset>
        <legend class="small">
          Slot by slot, where the machine shows them
          <button type="button" class="quiet-link" @click="all">all are as planned</button>
        </legend>
        <label v-for="s in slots" :key="s.id" class="slot">
          <span class="mono">{{ s.printed }}</span> <span class="faded small">{{ sizeOf(s.id) }}</span>
          <select
            :value="said[s.id] ?? ''"
            :aria-label="s.printed"
            @change="say(s.id, ($event.target as HTMLSelectElement).value)">
            <option value="">not looked at</option>
            <option value="as planned">as planned</option>
            <option v-if="goal[s.id]" value="not seen">not seen, or not whole</option>
          </select>
        </label>
      </fieldset>
      <div class="two">
        <label
          >Installed, as it shows it [GB] <input v-model="totals.installed" inputmode="decimal" /><FieldFaultWords
            :of="faults"
            name="installed"
        /></label>
        <label
          >Usable [GB] <input v-model="totals.usable" inputmode="decimal" /><FieldFaultWords :of="faults" name="usable"
        /></label>
      </div>
      <p class="faded small">
        Where it shows only a total, leave the slots: they are right by it if nothing else that was at hand gives it,
        with the labels checked at the bench.
      </p>
      <p v-if="unsent" class="wrong" role="alert">{{ unsent }}</p>
      <button class="press slim" type="submit" :disabled="sending">That is what it shows</button>
    </form>
    <ReportInput v-else proof :ask-by="keepAndAsk" @taken="took" />
  </section>
</template>

<style scoped>
.after {
  padding: 10px 16px 14px;
  display: grid;
  gap: 10px;
  justify-items: start;
}
.after > * {
  max-width: 100%;
}
.head {
  display: flex;
  justify-content: space-between;
  width: 100%;
}
.service {
  display: grid;
  gap: 4px;
  overflow-wrap: anywhere;
}
.hand {
  display: grid;
  gap: 10px;
  width: 100%;
}
.slot {
  display: grid;
  grid-template-columns: minmax(70px, auto) minmax(0, 1fr) 170px;
  gap: 8px;
  align-items: center;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
fieldset {
  border: 1px solid var(--rule);
  max-height: 240px;
  overflow-y: auto;
  padding: 6px 10px;
}
</style>

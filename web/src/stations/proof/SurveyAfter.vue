<script setup lang="ts">
/** What the machine shows now: by its service, by any report, or slot by slot by hand. */
import { ref } from 'vue'
import { api, ask, wordsOf, type Access, type Intake, type Layout, type MachineView, type ServiceKind } from '@/api/client'
import { moduleWords } from '@/board/state'
import ReportInput from '@/intake/ReportInput.vue'

const props = defineProps<{ machine: MachineView; goal: Layout; enter: (entry: Record<string, unknown>) => Promise<void> }>()
const emit = defineEmits<{ leave: []; changed: [] }>()
const wrong = ref('')
const busy = ref('')
const byHand = ref(false)
/** Slots in which the planned module is not seen. */
const missing = ref<string[]>([])
const usable = ref('')
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
const askIt = (kind: string) => act(kind, async () => props.enter({ kind: 'survey', intake_id: (await ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', path(kind)))).id }))
async function keepAndAsk(kind: ServiceKind, access: Access): Promise<Intake> {
  await ask(api.PUT('/api/machines/{machine_id}/services/{kind}', { ...path(kind), body: access }))
  emit('changed')
  return ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', path(kind)))
}
const slots = props.machine.board.slots.filter((s) => props.goal[s.id] && props.goal[s.id] !== 'unknown')
function seenByHand(): Promise<void> {
  const seen = Object.fromEntries(props.machine.board.slots.map((s) => [s.id, missing.value.includes(s.id) ? null : (props.goal[s.id] ?? null)]))
  return act('hand', () => props.enter({ kind: 'survey', slots: seen, ...(usable.value ? { usable_gib: Number(usable.value) } : {}) }))
}
</script>

<template>
  <section class="panel after" aria-labelledby="after-title">
    <div class="head"><h2 id="after-title">What does it show?</h2><button type="button" class="quiet-link" @click="emit('leave')">Leave it</button></div>
    <div v-for="s in machine.services" :key="s.kind" class="service">
      <v-btn color="primary" size="small" :disabled="!!busy" @click="askIt(s.kind)">{{ busy === s.kind ? 'Asking it' : `Ask it by ${s.kind === 'redfish' ? 'Redfish' : 'SNMP'}` }}</v-btn>
      <span class="mono small faded">{{ s.address }}</span>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <button type="button" class="quiet-link" :aria-expanded="byHand" @click="byHand = !byHand">By hand</button>
    <form v-if="byHand" class="fields hand" @submit.prevent="seenByHand">
      <fieldset>
        <legend class="small">Not seen, or not whole</legend>
        <label v-for="s in slots" :key="s.id" class="check"><input v-model="missing" type="checkbox" :value="s.id" /> <span class="mono">{{ s.printed }}</span> <span class="faded small">{{ moduleWords(goal[s.id] as never) }}</span></label>
      </fieldset>
      <label>Usable, as it shows it [GB] <input v-model="usable" type="number" min="0" step="any" /></label>
      <v-btn type="submit" color="primary" size="small" :disabled="!!busy">That is what it shows</v-btn>
    </form>
    <ReportInput v-else :ask-by="keepAndAsk" @taken="took" />
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
fieldset {
  border: 1px solid var(--rule);
  max-height: 240px;
  overflow-y: auto;
  padding: 6px 10px;
}
</style>

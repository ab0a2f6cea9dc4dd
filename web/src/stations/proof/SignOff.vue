<script setup lang="ts">
/** Signing off: what is fitted becomes what is known, what came out goes on the Shelf or back, what was tried goes to Field notes. */
import { computed, reactive } from 'vue'
import { api, ask, type Layout, type MachineView, type RunView } from '@/api/client'
import { moduleWords } from '@/board/state'
import FieldFault from '@/ui/FieldFault.vue'
import { useForm } from '@/ui/form'
import { printedOf } from './words'

const props = defineProps<{ machine: MachineView; run: RunView; waived: number }>()
const emit = defineEmits<{ signed: [] }>()
const now = computed(() => props.run.now as Layout)
/** Slots whose module left the machine. */
const out = computed(() =>
  props.run.steps
    .filter((s) => s.do === 'take-out')
    .map((s) => s.slots[0]!)
    .filter(
      (s) => !props.run.steps.some((x) => x.do === 'put-in' && x.text.includes('from the mat') && x.slots[0] === s),
    ),
)
const back = reactive<Record<string, { on: boolean; reference: string; due_on: string }>>(
  Object.fromEntries(out.value.map((s) => [s, { on: props.machine.failed.includes(s), reference: '', due_on: '' }])),
)
const {
  values: form,
  faults,
  wrong,
  sending,
  submit: sign,
} = useForm({ outcome: 'fine' as 'fine' | 'quirks', note: '', place: '' }, async (f) => {
  const returns = Object.fromEntries(
    Object.entries(back)
      .filter(([, r]) => r.on)
      .map(([s, r]) => [s, { reference: r.reference, due_on: r.due_on || null }]),
  )
  await ask(
    api.POST('/api/runs/{run_id}/sign-off', { params: { path: { run_id: props.run.id } }, body: { ...f, returns } }),
  )
  emit('signed')
})
function words(slot: string): string {
  const m = now.value[slot]
  return m && m !== 'unknown' ? moduleWords(m) : 'module'
}
</script>

<template>
  <form class="fields sign" @submit.prevent="sign">
    <label
      >How it went, for Field notes
      <select v-model="form.outcome">
        <option value="fine">fine</option>
        <option value="quirks">it works, with quirks</option>
      </select></label
    >
    <label>Note <input v-model="form.note" maxlength="2000" /><FieldFault :of="faults" name="note" /></label>
    <template v-if="out.length">
      <label>What came out is put <input v-model="form.place" maxlength="200" placeholder="cupboard 2, box c" /></label>
      <div v-for="s in out" :key="s" class="back">
        <label class="check"
          ><input v-model="back[s]!.on" type="checkbox" /> Return the one from
          <span class="mono">{{ printedOf(machine.board, s) }}</span>{{ ' ' }}
          <span class="faded small">{{ words(s) }}</span></label
        >
        <div v-if="back[s]!.on" class="two">
          <label>Reference <input v-model="back[s]!.reference" maxlength="200" /></label
          ><label>Due <input v-model="back[s]!.due_on" type="date" /></label>
        </div>
      </div>
    </template>
    <button class="press" type="submit" :disabled="sending">
      {{
        run.stage < run.stages
          ? `Sign stage ${run.stage} off`
          : waived
            ? 'Sign off with what is waived'
            : 'Sign off: back on duty'
      }}
    </button>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
  </form>
</template>

<style scoped>
.sign {
  display: grid;
  gap: 8px;
  margin-top: 8px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
</style>

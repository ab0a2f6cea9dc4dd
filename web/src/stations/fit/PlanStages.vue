<script setup lang="ts">
/** In which stages a plan is done: each is fitted and proved before the next begins. */
import { computed, ref, watch } from 'vue'
import type { Layout, MachineView, PlanView } from '@/api/client'
import { moduleWords } from '@/board/state'
import VerdictWord from '@/ui/VerdictWord.vue'
import { numbered, stagesOf, type StageChanges } from './stages'

const props = defineProps<{ machine: MachineView; plan: PlanView; mayWrite: boolean }>()
const emit = defineEmits<{ save: [stages: StageChanges[]] }>()
const open = ref(false)
const stages = computed(() => props.plan.stages)
const words = computed(() => (stages.value.length ? `${stages.value.length} stages` : 'all at once'))
const printed = (slot: string) => props.machine.board.slots.find((s) => s.id === slot)?.printed ?? slot
/** Slots that the plan changes, each with the number of its stage. */
const numbers = ref<Record<string, number>>({})
const changed = computed(() => Object.keys(numbers.value))
watch(
  [open, () => props.plan.version],
  () =>
    (numbers.value = numbered(
      props.plan.now as Layout,
      props.plan.goal as Layout,
      stages.value,
      props.machine.board.slots.map((s) => s.id),
    )),
  { immediate: true },
)
/** Stages that put something else into a slot than the plan ends with: they stand until somebody sets them anew. */
const tried = computed(() =>
  stages.value.flatMap((stage, i) =>
    stage.again.map((s) => ({ stage: i + 1, slot: s, module: stage.changes[s] ?? null })),
  ),
)
const what = (slot: string) => {
  const m = props.plan.goal[slot]
  return m && m !== 'unknown' ? moduleWords(m) : 'empty'
}
function save(): void {
  emit('save', stagesOf(numbers.value, props.plan.goal as Layout))
  open.value = false
}
</script>

<template>
  <span class="stages">
    <strong>{{ words }}</strong>
    <button
      v-if="mayWrite"
      type="button"
      class="quiet-link"
      :aria-expanded="open"
      aria-label="Change its stages"
      @click="open = !open">
      change
    </button>
    <small v-for="(s, i) in stages" :key="i" class="stage"
      >{{ i + 1 }}: {{ Object.keys(s.changes).map(printed).join(', ') }}
      <template v-if="s.verdict !== 'go'"><VerdictWord :of="s" :size="11" /> by itself</template></small
    >
    <small v-for="t in tried" :key="`${t.stage}-${t.slot}`" class="stage"
      >Stage {{ t.stage }} {{ t.module && t.module !== 'unknown' ? `puts ${moduleWords(t.module)} into` : 'empties' }}
      {{ printed(t.slot) }}; the plan changes it again.</small
    >
    <form v-if="open" class="panel popover" aria-label="Stages" @submit.prevent="save" @keydown.esc.stop="open = false">
      <p>
        What is in one stage is fitted, proved and soaked before the next begins. One module first costs less than a
        wrong dozen.
      </p>
      <p v-if="!changed.length">The plan changes nothing yet.</p>
      <label v-for="s in changed" :key="s"
        ><span
          ><b class="mono">{{ printed(s) }}</b> <span class="faded">{{ what(s) }}</span></span
        ><input
          v-model.number="numbers[s]"
          type="number"
          min="1"
          max="12"
          required
          :aria-label="`Stage of ${printed(s)}`"
      /></label>
      <button class="press slim" v-if="changed.length" type="submit">Stage it so</button>
    </form>
  </span>
</template>

<style scoped>
.stages {
  position: relative;
  display: flex;
  flex-wrap: wrap;
  gap: 0 8px;
  align-items: baseline;
  justify-content: space-between;
}
.stage {
  flex-basis: 100%;
}
label {
  grid-template-columns: minmax(0, 1fr) 60px;
}
</style>

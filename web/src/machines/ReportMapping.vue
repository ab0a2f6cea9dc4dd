<script setup lang="ts">
/** Which report is which slot: those whose names did not tell come first, for they are the work. */
import { computed, ref } from 'vue'
import type { BoardSlot, Intake } from '@/api/client'
import { moduleLine } from '@/board/state'
import { gb } from '@/ui/figures'
import { plural } from '@/ui/words'

const props = defineProps<{
  reports: Intake['reading']['slots']
  slots: BoardSlot[]
  /** Reports whose names told their slot. */
  matched: Set<number>
}>()
/** Index of a report -> slot; '' where it is left out. */
const slotOf = defineModel<Record<number, string>>({ required: true })

const rows = computed(() => {
  const all = props.reports
    .map((r, index) => ({
      index,
      name: r.locator ?? `report ${index + 1}`,
      bank: r.bank,
      state: r.state,
      words: r.module
        ? `${gb(r.module.capacity_gib)} GB ${r.module.generation ?? ''} ${moduleLine(r.module)}`
        : r.state,
    }))
    .filter((r) => r.state !== 'soldered')
  return [...all.filter((r) => !props.matched.has(r.index)), ...all.filter((r) => props.matched.has(r.index))]
})
/** Where every name told its slot there is nothing to do, and they are seen on demand. */
const all = ref(false)
const unmatched = computed(() => rows.value.filter((r) => !slotOf.value[r.index]).length)
/** Which slot these are nobody tells: they are where they are by their order alone. */
const nameless = computed(() => props.reports.filter((r) => !r.locator && !r.bank && r.state !== 'soldered').length)
const takenBy = computed(() => new Map(Object.entries(slotOf.value).map(([index, slot]) => [slot, Number(index)])))
const isTaken = (slot: string, index: number) => takenBy.value.has(slot) && takenBy.value.get(slot) !== index
</script>

<template>
  <div class="mapping">
    <h2>
      Which report is which slot
      <span v-if="unmatched" class="lacking">{{ plural(unmatched, 'report') }} without a slot</span>
      <span v-else-if="nameless" class="lacking"
        >taken in their order:
        {{
          nameless === reports.length
            ? 'it names no slot'
            : `${plural(nameless, 'slot')} of it ${nameless === 1 ? 'has' : 'have'} no name`
        }}</span
      >
      <span v-else class="good">every report has its slot</span>
    </h2>
    <button v-if="!unmatched" type="button" class="quiet-link small" :aria-expanded="all" @click="all = !all">
      {{ all ? 'Hide them' : 'See which' }}
    </button>
    <ul v-if="unmatched || all">
      <li v-for="r in rows" :key="r.index" :class="{ open: !slotOf[r.index] }">
        <label :for="`slot-${r.index}`"
          ><span class="mono">{{ r.name }}</span> <span class="faded">{{ r.bank }}</span></label
        >
        <span :class="`is-${r.state}`">{{ r.words }}</span>
        <select
          :id="`slot-${r.index}`"
          :value="slotOf[r.index] ?? ''"
          @change="slotOf = { ...slotOf, [r.index]: ($event.target as HTMLSelectElement).value }">
          <option value="">left out</option>
          <option v-for="s in slots" :key="s.id" :value="s.id" :disabled="isTaken(s.id, r.index)">
            {{ s.printed }}
          </option>
        </select>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.mapping {
  border-top: 1px solid var(--rule);
  padding: 10px 16px 14px;
}
h2 span {
  font-weight: 600;
  font-size: 13px;
  margin-left: 10px;
}
.lacking {
  color: var(--ask);
}
.good {
  color: var(--go);
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(360px, 1fr));
  gap: 2px 20px;
  font-size: 13px;
}
li {
  display: grid;
  grid-template-columns: minmax(100px, 1fr) minmax(90px, 1fr) minmax(104px, 172px);
  gap: 8px;
  align-items: center;
  padding: 2px 0 2px 6px;
  border-left: 3px solid transparent;
}
li.open {
  border-left-color: var(--ask);
}
select {
  width: 100%;
  padding: 3px 6px;
  font-size: 13px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--module-edge);
  border-radius: 4px;
}
label {
  overflow-wrap: anywhere;
}
.is-empty {
  color: var(--faded);
}
.is-unknown {
  color: var(--ask);
}
</style>

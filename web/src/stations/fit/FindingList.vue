<script setup lang="ts">
/** Findings, worst first: each points at its slots, says why, and opens to its source and what it needs. */
import { ref, watch } from 'vue'
import type { Board, Cure, Finding } from '@/api/client'
import { gb } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { actionLines } from './tray'

const props = defineProps<{
  findings: Finding[]
  /** A cure for each finding, in their order. */
  cures?: (Cure | null)[]
  /** Names the slots of the cures. */
  board?: Board
}>()
const emit = defineEmits<{ point: [finding: Finding | null]; cure: [cure: Cure] }>()
const open = ref('')

const keyOf = (f: Finding) => `${f.code} ${f.slots.join(' ')} ${f.message}`

watch(
  () => props.findings,
  (list) => {
    if (!list.some((f) => keyOf(f) === open.value)) open.value = ''
    emit('point', list[0] && list[0].severity !== 'note' ? list[0] : null)
  },
  { immediate: true },
)

function cureWords(cure: Cure): string {
  const lines = props.board ? actionLines(props.board, cure.actions) : []
  const what = lines.slice(0, 2).map((l) => `${l.label} ${l.words}`)
  const cost = cure.loses_gib
    ? `; loses ${gb(cure.loses_gib)} GB`
    : cure.gains_gib
      ? `; gains ${gb(cure.gains_gib)} GB`
      : ''
  return `${what.join(', ')}${lines.length > 2 ? ` and ${lines.length - 2} more` : ''}${cost}`
}

const sourceWords = (f: Finding) => f.source && [f.source.title, f.source.clause].filter(Boolean).join(', ')
</script>

<template>
  <ul class="findings" @mouseleave="emit('point', findings[0]?.severity === 'note' ? null : (findings[0] ?? null))">
    <li v-for="(f, i) in findings" :key="keyOf(f)" :class="{ open: open === keyOf(f) }" @mouseenter="emit('point', f)">
      <button
        type="button"
        :aria-expanded="open === keyOf(f)"
        @focus="emit('point', f)"
        @click="open = open === keyOf(f) ? '' : keyOf(f)">
        <SeverityMark :severity="f.severity" />
        <span>{{ f.message }}</span>
      </button>
      <div v-if="cures?.[i]" class="cure">
        <button type="button" class="press slim quiet" @click="emit('cure', cures[i]!)">Cure it</button>
        <span>{{ cureWords(cures[i]!) }}</span>
      </div>
      <div v-if="open === keyOf(f)" class="more">
        <p v-if="f.needs.length">
          Needed: <span class="mono">{{ f.needs.join(', ') }}</span>
        </p>
        <p v-if="f.could_be">What is missing could hide a {{ f.could_be }}.</p>
        <p v-if="sourceWords(f)">Source: {{ sourceWords(f) }}{{ f.source?.date ? ` (${f.source.date})` : '' }}</p>
        <p class="mono">{{ f.code }}</p>
      </div>
    </li>
    <li v-if="!findings.length" class="none"><SeverityMark severity="go" /> nothing known against it</li>
  </ul>
</template>

<style scoped>
.findings {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
}
li {
  border-radius: 4px;
}
li:hover,
li:focus-within,
.open {
  background: var(--lit);
}
li > button {
  display: flex;
  gap: 9px;
  align-items: flex-start;
  width: 100%;
  padding: 5px 8px;
  text-align: left;
  font-size: 14px;
  line-height: 1.35;
  color: inherit;
}
li > button .mark {
  margin-top: 3px;
}
.more {
  padding: 0 8px 8px 31px;
  font-size: 13px;
  color: var(--faded);
}
.more p {
  margin: 0;
  overflow-wrap: anywhere;
}
.cure {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 0 8px 7px 31px;
  font-size: 12.5px;
  line-height: 1.3;
  color: var(--faded);
}
.none {
  display: flex;
  gap: 9px;
  align-items: center;
  padding: 5px 8px;
  color: var(--go);
  font-weight: 600;
}
</style>

<script setup lang="ts">
/** Findings, worst first: each points at its slots, says why, and opens to its source and what it needs. */
import { ref, watch } from 'vue'
import type { Finding } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'

const props = defineProps<{ findings: Finding[] }>()
const emit = defineEmits<{ point: [finding: Finding | null] }>()
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

const sourceWords = (f: Finding) => f.source && [f.source.title, f.source.clause].filter(Boolean).join(', ')
</script>

<template>
  <ul class="findings" @mouseleave="emit('point', findings[0]?.severity === 'note' ? null : (findings[0] ?? null))">
    <li v-for="f in findings" :key="keyOf(f)" :class="{ open: open === keyOf(f) }" @mouseenter="emit('point', f)">
      <button
        type="button"
        :aria-expanded="open === keyOf(f)"
        @focus="emit('point', f)"
        @click="open = open === keyOf(f) ? '' : keyOf(f)"
      >
        <SeverityMark :severity="f.severity" />
        <span>{{ f.message }}</span>
      </button>
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
button {
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
button .mark {
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
.none {
  display: flex;
  gap: 9px;
  align-items: center;
  padding: 5px 8px;
  color: var(--go);
  font-weight: 600;
}
</style>

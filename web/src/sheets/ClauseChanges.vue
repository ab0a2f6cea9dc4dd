<script setup lang="ts">
/** What one sheet answers otherwise than another, clause by clause, in the words of the questions. */
import type { ClauseChange } from '@/api/client'
import { inWords, type Asks } from './work'

defineProps<{ changes: ClauseChange[]; asks: Asks; was: string; now: string }>()
type Said = ClauseChange['was']
const words = (s: Said) =>
  !s || s.state === 'left'
    ? 'not said'
    : s.state === 'told'
      ? inWords(s.value)
      : s.state === 'none'
        ? 'none'
        : s.state === 'untold'
          ? `not told${s.words ? `: ${s.words}` : ''}`
          : `open${s.words ? `: ${s.words}` : ''}`
const source = (s: Said) => (s ? [s.source, s.clause].filter(Boolean).join(', ') : '')
</script>

<template>
  <p v-if="!changes.length" class="faded small same">They say the same.</p>
  <table v-else class="changes" :aria-label="`What ${now} says otherwise than ${was}`">
    <thead>
      <tr>
        <th scope="col">clause</th>
        <th scope="col">{{ was }}</th>
        <th scope="col">{{ now }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="c in changes" :key="c.key">
        <th scope="row">
          {{ asks.asks.get(c.ask)?.words }} <span class="faded">{{ c.about }}</span>
        </th>
        <template v-if="c.source_only">
          <td class="faded">{{ source(c.was) || 'no source' }}</td>
          <td>{{ source(c.now) || 'no source' }}</td>
        </template>
        <template v-else>
          <td class="faded">
            {{ words(c.was) }} <span class="small">{{ source(c.was) }}</span>
          </td>
          <td>
            {{ words(c.now) }} <span class="small faded">{{ source(c.now) }}</span>
          </td>
        </template>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.changes {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
.same {
  margin: 0;
}
th,
td {
  padding: 5px 14px 5px 0;
  text-align: left;
  vertical-align: top;
  overflow-wrap: anywhere;
}
thead th {
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
}
tbody th {
  font-weight: 400;
  width: 34%;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
</style>

<script setup lang="ts">
/** Up to three routes side by side, only where they differ; the best of a line is marked. */
import { computed } from 'vue'
import type { RoutesView } from '@/api/client'
import { gb } from '@/ui/figures'
import { balanceOf, fastOf, letterOf, lossWords, money, rateOf, routeWords, troubleOf, verdictWords } from './words'

const props = defineProps<{ view: RoutesView; pinned: number[] }>()
const emit = defineEmits<{ unpin: [index: number] }>()

const routes = computed(() => props.pinned.map((i) => props.view.routes[i]!))
interface Line {
  words: string
  cells: string[]
  /** The lower the better; null where none is better. */
  values: number[] | null
}
const lines = computed<Line[]>(() => {
  const rs = routes.value
  const c = props.view.money.currency
  const all: Line[] = [
    { words: 'usable', cells: rs.map((r) => `${gb(r.usable_gib)} GB`), values: rs.map((r) => -r.usable_gib) },
    {
      words: 'cost',
      cells: rs.map((r) => (props.view.priced ? money(r.cost, c) : 'no price')),
      values: rs.map((r) => Number(r.cost)),
    },
    {
      words: 'a GB',
      cells: rs.map((r) => (props.view.priced ? (Number(r.cost) / r.usable_gib).toFixed(2) : 'no price')),
      values: rs.map((r) => Number(r.cost) / r.usable_gib),
    },
    { words: 'data rate', cells: rs.map((r) => `${rateOf(r) ?? '?'} MT/s`), values: rs.map((r) => -(rateOf(r) ?? 0)) },
    {
      words: 'bandwidth',
      cells: rs.map((r) => `${fastOf(r)?.toFixed(1) ?? '?'} GB/s`),
      values: rs.every((r) => fastOf(r) !== null) ? rs.map((r) => -r.sustained_gbs) : null,
    },
    {
      words: 'balance',
      cells: rs.map((r) => balanceOf(r)?.toFixed(2) ?? ''),
      values: rs.map((r) => -(balanceOf(r) ?? 0)),
    },
    { words: 'trouble', cells: rs.map(troubleOf), values: rs.map((r) => r.trouble) },
    {
      words: 'expected loss',
      cells: rs.map((r) => lossWords(r.expected_loss, props.view.money)),
      values: rs.map((r) => r.expected_loss),
    },
    { words: 'slots free', cells: rs.map((r) => String(r.free_slots)), values: rs.map((r) => -r.free_slots) },
    { words: 'slots handled', cells: rs.map((r) => String(r.touches)), values: rs.map((r) => r.touches) },
    { words: 'stands', cells: rs.map(verdictWords), values: null },
  ]
  return all.filter((l) => new Set(l.cells).size > 1)
})
const best = (line: Line, i: number) => line.values !== null && line.values[i] === Math.min(...line.values)
</script>

<template>
  <section class="compare" aria-label="Pinned routes">
    <h2>Pinned, where they differ</h2>
    <table>
      <thead>
        <tr>
          <th scope="col"><span class="visually-hidden">measure</span></th>
          <th v-for="(r, i) in routes" :key="pinned[i]" scope="col">
            <b class="letter">{{ letterOf(pinned[i]!) }}</b>{{ ' ' }}
            <button
              type="button"
              class="quiet-link small"
              :aria-label="`Unpin route ${letterOf(pinned[i]!)}`"
              @click="emit('unpin', pinned[i]!)">
              unpin
            </button>
            <span class="small">{{ routeWords(r) }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in lines" :key="l.words">
          <th scope="row" class="faded">{{ l.words }}</th>
          <td v-for="(cell, i) in l.cells" :key="i" :class="{ best: best(l, i) }">{{ cell }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="pinned.length < 2" class="faded small">Pin another to compare.</p>
  </section>
</template>

<style scoped>
.compare {
  padding: 12px 16px;
  position: relative;
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 14px;
  margin-top: 6px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  font-weight: 400;
  padding: 4px 12px 4px 0;
}
thead .small {
  display: block;
}
thead button {
  display: inline;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.letter {
  font-size: 18px;
}
.best {
  font-weight: 650;
  color: var(--go);
}
</style>

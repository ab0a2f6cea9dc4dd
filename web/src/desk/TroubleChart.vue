<script setup lang="ts">
/** Trouble predicted (to the right) beside trouble met (upwards), by bands; on the slanted line they are the same. */
import { computed } from 'vue'
import type { Desk } from '@/api/client'
import { dotSize, placed } from './trouble'

const props = defineProps<{ bands: Desk['bands'] }>()
const W = 240
const H = 150
const LEFT = 34
const TICKS = [0, 0.1, 0.3, 0.6, 1]
const x = (p: number) => LEFT + placed(p) * (W - LEFT - 14)
const y = (p: number) => H - 18 - placed(p) * (H - 26)
const most = computed(() => Math.max(1, ...props.bands.map((b) => b.count)))
const words = computed(() =>
  props.bands
    .map(
      (b) =>
        `predicted ${Math.round(100 * b.predicted)} %: ${b.failed} of ${b.count} met trouble, between ${Math.round(100 * b.at_least)} and ${Math.round(100 * b.at_most)} % by that`,
    )
    .join('; '),
)
</script>

<template>
  <svg v-if="bands.length" :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="words" class="chart">
    <g v-for="t in TICKS" :key="t">
      <line :x1="LEFT" :x2="W - 14" :y1="y(t)" :y2="y(t)" class="grid" />
      <text :x="LEFT - 5" :y="y(t) + 4" text-anchor="end">{{ Math.round(100 * t) }}</text>
      <text :x="x(t)" :y="H - 4" text-anchor="middle">{{ Math.round(100 * t) }}</text>
    </g>
    <line :x1="x(0)" :y1="y(0)" :x2="x(1)" :y2="y(1)" class="same" />
    <g v-for="b in bands" :key="b.low">
      <line :x1="x(b.predicted)" :x2="x(b.predicted)" :y1="y(b.at_least)" :y2="y(b.at_most)" class="span" />
      <circle :cx="x(b.predicted)" :cy="y(b.failed / b.count)" :r="dotSize(b.count, most)" />
    </g>
  </svg>
  <p v-if="bands.length" class="small faded">predicted % to the right, met % upwards; bars: 80 in 100; dot: how many</p>
</template>

<style scoped>
.chart {
  width: min(100%, 340px);
}
p {
  margin: 0;
}
text {
  font-size: 10px;
  fill: var(--faded);
}
.grid {
  stroke: var(--rule);
}
.same {
  stroke: var(--umber);
  stroke-dasharray: 3 3;
}
.span {
  stroke: var(--ink);
  stroke-width: 1.5;
}
circle {
  fill: var(--umber);
}
</style>

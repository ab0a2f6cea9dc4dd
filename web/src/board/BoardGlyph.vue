<script setup lang="ts">
/** The board, small: a bar a slot, flat or with a shadow, a square a socket. */
import { computed } from 'vue'
import type { MachineLine } from '@/api/client'

const props = defineProps<{ groups: MachineLine['summary']['glyph'] }>()

const WIDTH = 6
const STEP = 8
const rows = computed(() =>
  props.groups.map((g) => {
    const letters = [...g.slots]
    const half = letters.length > 4 ? Math.ceil(letters.length / 2) : 0
    const socketAt = half * STEP
    const chipsWidth = g.soldered ? 12 : 0
    const x = (i: number) => (i < half ? i * STEP : socketAt + 22 + chipsWidth + (i - half) * STEP)
    return {
      ...g,
      socketAt,
      bars: letters.map((look, i) => ({ look, x: x(i) })),
      width: x(letters.length - 1) + WIDTH + 4,
    }
  }),
)
const tall = computed(() => props.groups.length === 1)
const rowHeight = computed(() => (tall.value ? 34 : 20))
const width = computed(() => Math.max(60, ...rows.value.map((r) => r.width)))
</script>

<template>
  <svg
    class="glyph"
    :width="width"
    :height="rows.length * rowHeight"
    :viewBox="`-1 -1 ${width} ${rows.length * rowHeight}`"
    aria-hidden="true">
    <g v-for="(row, i) in rows" :key="row.socket" :transform="`translate(0 ${i * rowHeight})`">
      <rect class="socket" :x="row.socketAt" :y="tall ? 6 : 1" :width="tall ? 18 : 13" :height="tall ? 18 : 13" />
      <g v-if="row.soldered" class="chip">
        <rect :x="row.socketAt + 22" y="8" width="7" height="6" />
        <rect :x="row.socketAt + 22" y="17" width="7" height="6" />
      </g>
      <rect
        v-for="(bar, j) in row.bars"
        :key="j"
        :class="`look-${bar.look}`"
        :x="bar.x"
        :y="bar.look === 'p' || bar.look === 'c' ? -1 : 1"
        :width="WIDTH"
        :height="tall ? 26 : 13" />
    </g>
  </svg>
</template>

<style scoped>
.glyph {
  display: block;
  overflow: visible;
}
.socket {
  fill: none;
  stroke: var(--ink);
}
.chip rect,
.look-f {
  fill: var(--module-edge);
}
.look-f {
  fill: var(--module);
  stroke: var(--module-edge);
}
.look-e {
  fill: none;
  stroke: var(--rule);
}
.look-u {
  fill: none;
  stroke: var(--ask);
  stroke-dasharray: 2 2;
}
.look-b {
  fill: none;
  stroke: var(--stop);
  stroke-width: 2;
}
.look-x {
  fill: none;
  stroke: var(--faded);
  stroke-dasharray: 2 2;
}
.look-p,
.look-c {
  fill: var(--sheet);
  stroke: var(--ink);
  filter: drop-shadow(2px 2px 1px var(--shadow));
}
</style>

<script setup lang="ts">
/** How likely it is that so much runs, over the capacity axis: the curve, what was tried on it, what is fitted and planned. */
import { computed, ref } from 'vue'
import type { CeilingView } from '@/api/client'
import { OUTCOMES, outcomeShape } from '@/notes/words'
import { gb, percent } from '@/ui/figures'
import type { Axis } from './axis'
import { curveOf, heightOf, readAt } from './reach'
import { KIND_WORDS } from './words'

const props = defineProps<{ view: CeilingView; axis: Axis; left: number; right: number; top: number; height: number }>()
const curve = computed(() => curveOf(props.view.reach, props.axis, props.top, props.height))
const y = (p: number) => heightOf(p, props.top, props.height)
/** What is read off: where the pointer is, else what is planned. */
const pointed = ref<number | null>(null)
const read = computed(() => {
  const gib = pointed.value ?? props.view.planned_gib
  return gib === null ? undefined : readAt(props.view.reach, gib)
})
/** Where the curve ends. */
const last = computed(() => props.view.reach.at(-1)?.gib ?? 0)
const beyond = computed(() => props.axis.x(last.value))
const isBuilt = computed(() =>
  props.view.ceilings.some((c) => c.kind === 'physical' && c.gib !== null && c.gib <= last.value),
)
const narrow = computed(() => props.right - props.left < 480)
const side = computed(() => (read.value && props.axis.x(read.value.gib) > props.right - 220 ? 'left' : 'right'))
function point(event: PointerEvent): void {
  const svg = (event.currentTarget as SVGElement).ownerSVGElement!
  const scale = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width
  const x = (event.clientX - svg.getBoundingClientRect().left) * scale
  pointed.value = props.view.reach.reduce(
    (best, r) => (Math.abs(props.axis.x(r.gib) - x) < Math.abs(props.axis.x(best) - x) ? r.gib : best),
    props.view.reach[0]!.gib,
  )
}
/** Marks of trials; those of one total stand beside each other. */
const marks = computed(() => {
  const before = new Map<number, number>()
  return props.view.shown.map((t) => {
    const n = before.get(t.gib) ?? 0
    before.set(t.gib, n + 1)
    return {
      ...t,
      x: props.axis.x(t.gib) + 14 * n,
      y: y(t.works),
      words: `${gb(t.gib)} GB ${OUTCOMES[t.outcome]}, ${KIND_WORDS[t.who]}${t.elsewhere ? ` on ${t.elsewhere}` : ''}, ${t.tried_on}`,
    }
  })
})
</script>

<template>
  <g v-if="view.reach.length" class="reach">
    <text :x="left" :y="top - 12" class="title"
      >How likely so much runs<tspan v-if="right - left > 640" class="faded" dx="10"
        >by every figure and trial; the band: looked at otherwise; dashed: without trials</tspan
      ></text
    >
    <g v-for="p in [0, 0.5, 1]" :key="p">
      <line :x1="left" :x2="right" :y1="y(p)" :y2="y(p)" class="grid" />
      <text :x="left - 6" :y="y(p) + 4" class="percent">{{ percent(p) }}</text>
    </g>
    <!-- What can be built may lie far beyond the axis: the curve ends where it does. -->
    <clipPath id="reach-room"><rect :x="left" :y="top - 3" :width="right - left" :height="height + 6" /></clipPath>
    <g clip-path="url(#reach-room)">
      <path :d="curve.span" class="span" />
      <path :d="curve.prior" class="prior" />
      <path :d="curve.works" class="works" />
    </g>
    <text v-if="!read && !narrow && !isBuilt && beyond < right - 240" :x="beyond + 12" :y="y(0.5) - 8" class="unsaid"
      >Beyond {{ gb(last) }} GB no figure and no trial says.</text
    >
    <line
      v-if="view.planned_gib !== null"
      :x1="axis.x(view.planned_gib)"
      :x2="axis.x(view.planned_gib)"
      :y1="top"
      :y2="top + height"
      class="at" />
    <g
      v-for="(m, i) in marks"
      :key="i"
      :transform="`translate(${m.x - 6} ${m.y - 6})`"
      class="trial"
      :class="m.outcome">
      <rect x="-2" y="-2" width="16" height="16" rx="8" class="ground" />
      <path :d="outcomeShape(m.outcome)" />
      <title>{{ m.words }}</title>
    </g>
    <g v-if="read" class="read" aria-live="polite">
      <circle :cx="axis.x(read.gib)" :cy="y(read.works)" r="4" />
      <text
        :x="
          narrow
            ? Math.min(Math.max(axis.x(read.gib), left + 96), right - 96)
            : axis.x(read.gib) + (side === 'right' ? 10 : -10)
        "
        :y="narrow ? Math.min(y(read.works) + 22, top + height - 6) : Math.max(y(read.works) - 10, top + 12)"
        :class="narrow ? 'middle' : side"
        >{{ gb(read.gib) }} GB: {{ percent(read.works)
        }}<tspan class="faded"> ({{ percent(read.low) }} to {{ percent(read.high) }})</tspan></text
      >
    </g>
    <rect
      :x="left"
      :y="top"
      :width="right - left"
      :height="height"
      class="catch"
      @pointermove="point"
      @pointerleave="pointed = null" />
  </g>
</template>

<style scoped>
text {
  fill: var(--ink);
  font-size: 13px;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.title {
  font-weight: 650;
}
.faded,
.percent {
  fill: var(--faded);
  font-weight: 400;
}
.percent {
  text-anchor: end;
  font-size: 12px;
}
.left {
  text-anchor: end;
}
.middle {
  text-anchor: middle;
}
.grid {
  stroke: var(--rule);
}
.span {
  fill: var(--go);
  fill-opacity: 0.16;
}
.works {
  fill: none;
  stroke: var(--go);
  stroke-width: 2.5;
}
.prior {
  fill: none;
  stroke: var(--faded);
  stroke-width: 1.5;
  stroke-dasharray: 5 4;
}
.at {
  stroke: var(--ink);
  stroke-dasharray: 2 3;
}
.trial {
  fill: var(--go);
  stroke: var(--sheet);
}
.ground {
  fill: var(--sheet);
}
.trial.not-seen,
.trial.unstable {
  fill: var(--stop);
}
.read circle {
  fill: var(--ink);
}
.read text {
  font-weight: 650;
}
.catch {
  fill: transparent;
}
</style>

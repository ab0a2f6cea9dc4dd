<script setup lang="ts">
/** Every route as a mark: what it costs against what it gives; shape by verdict, size by trouble. */
import { computed, ref } from 'vue'
import type { Route } from '@/api/client'
import { counted, gb, gbUp } from '@/ui/figures'
import { plural } from '@/ui/words'
import { useWidth } from '@/ui/width'
import { doublingScale, moneyScale, placePoints, scaleOf } from './plot'
import { fastOf, letterOf, NAMES, shapeOf, type Had } from './words'

const props = defineProps<{
  routes: Route[]
  chosen: number | null
  pinned: number[]
  need: number | null
  budget: number | null
  currency: string
  priced: boolean
  now: Had
}>()
const emit = defineEmits<{ choose: [index: number] }>()

/** As wide as there is room, so that its words keep their size. */
const box = ref<HTMLElement>()
const width = useWidth(box, 300)
const HEIGHT = 340
const LEFT = 54
/** Room for the mark of what costs nothing beside the figures of the axis. */
const MARK = 24
const right = computed(() => width.value - 14)
const TOP = 16
const BOTTOM = HEIGHT - 40

const by = ref<'usable' | 'speed'>('usable')
const valueOf = (r: Route) => (by.value === 'usable' ? r.usable_gib : r.sustained_gbs)
/** A route whose bandwidth is not known has no place among those whose is. */
const known = (r: Route) => by.value === 'usable' || fastOf(r) !== null
const unknown = computed(() => props.routes.filter((r) => !known(r)).length)
const here = computed(() => (by.value === 'usable' ? props.now.usable : props.now.gbs))
const hereWords = computed(() => (by.value === 'usable' ? counted(here.value, props.now.open) : gb(here.value)))
/** Without prices: how many modules are handled. */
const across = (r: Route) => (props.priced ? Number(r.cost) : r.touches)
const x = computed(() =>
  (props.priced ? moneyScale : scaleOf)(
    [...props.routes.map(across), (props.priced && props.budget) || 0],
    LEFT + MARK,
    right.value - 30,
  ),
)
const y = computed(() => {
  const values = [
    ...props.routes.filter(known).map(valueOf),
    here.value,
    ...(by.value === 'usable' && props.need ? [props.need] : []),
  ]
  return by.value === 'usable' ? doublingScale(values, BOTTOM - 6, TOP + 6) : scaleOf(values, BOTTOM, TOP + 6)
})
const points = computed(() =>
  placePoints(
    props.routes
      .map((r, index) => ({
        index,
        cost: across(r),
        value: valueOf(r),
        trouble: r.trouble,
        words: r.names.length
          ? `${letterOf(index)} ${r.names
              .map((n) => NAMES[n])
              .slice(0, 2)
              .join(', ')}`
          : '',
      }))
      .filter((p) => known(props.routes[p.index]!))
      .sort((a, b) => b.words.length - a.words.length),
    x.value,
    y.value,
    LEFT,
    width.value,
  ),
)
const PATHS = {
  stop: 'M-.9-.9h1.8v1.8h-1.8z',
  go: 'M-1 .05l.3-.3.45.45 1-1 .3.3-1.3 1.3z',
  risk: 'M0-1l1 1-1 1-1-1z',
  ask: 'M-1 0a1 1 0 1 0 2 0 1 1 0 1 0-2 0z',
}
/** What is wished is hardly more than there is: one line for both. */
const atNeed = computed(
  () => by.value === 'usable' && props.need !== null && Math.abs(y.value.at(props.need) - y.value.at(here.value)) < 16,
)
/** Width of the words of a level, roughly. */
const WORDS = 140
/** Where the words of a level end: right, or further left where marks would cover them there. */
function endOf(value: number): number {
  const at = y.value.at(value) - 9
  const near = points.value.filter((p) => Math.abs(p.y - at) < p.size + 8)
  for (let end = right.value; end > LEFT + WORDS; end -= 20)
    if (!near.some((p) => p.x + p.size > end - WORDS && p.x - p.size < end)) return end
  return right.value
}
const beyond = computed(() => (props.budget === null || !props.priced ? null : x.value.at(props.budget)))
</script>

<template>
  <div ref="box" class="plot">
    <div class="caption">
      <h2>
        {{ priced ? 'Cost' : 'Handling' }} against
        <button type="button" class="choice" :aria-pressed="by === 'usable'" @click="by = 'usable'">
          usable memory</button
        >{{ ' ' }}
        <button type="button" class="choice" :aria-pressed="by === 'speed'" @click="by = 'speed'">bandwidth</button>
      </h2>
      <span class="faded small">✓ go, ◆ at risk, ○ undecided; larger: more trouble</span>
    </div>
    <p v-if="unknown" class="small faded">
      {{
        unknown === routes.length
          ? 'Of no route the bandwidth is known'
          : `${plural(unknown, 'route')} whose bandwidth is not known ${unknown === 1 ? 'is' : 'are'} not shown`
      }}: nobody tells what it runs at.
    </p>
    <svg
      :viewBox="`0 0 ${width} ${HEIGHT}`"
      role="group"
      :aria-label="`Routes by ${priced ? 'cost' : 'handling'} and ${by === 'usable' ? 'usable memory' : 'sustained bandwidth'}`">
      <defs>
        <pattern id="beyond" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="3" height="7" class="hatch" />
        </pattern>
      </defs>
      <g class="grid">
        <template v-for="t in y.ticks" :key="t">
          <line :x1="LEFT" :x2="right" :y1="y.at(t)" :y2="y.at(t)" />
          <text :x="LEFT - 8" :y="y.at(t) + 4" text-anchor="end">{{ gb(t) }}</text>
        </template>
        <text v-for="t in x.ticks" :key="`x${t}`" :x="x.at(t)" :y="BOTTOM + 18" text-anchor="middle">{{ t }}</text>
        <text :x="right" :y="HEIGHT - 6" text-anchor="end">
          {{ priced ? `${currency} for the route` : 'modules handled; nothing has a price' }}
        </text>
        <text :x="LEFT - 8" :y="TOP - 4" text-anchor="end">{{ by === 'usable' ? 'GB' : 'GB/s' }}</text>
      </g>
      <rect
        v-if="beyond !== null && beyond < right"
        :x="beyond"
        :y="TOP"
        :width="right - beyond"
        :height="BOTTOM - TOP"
        fill="url(#beyond)" />
      <g v-if="!atNeed" class="level now">
        <line :x1="LEFT" :x2="right" :y1="y.at(here)" :y2="y.at(here)" />
        <text :x="endOf(here)" :y="y.at(here) - 5" text-anchor="end">now {{ hereWords }}</text>
      </g>
      <g v-if="need && by === 'usable'" class="level need">
        <line :x1="LEFT" :x2="right" :y1="y.at(need)" :y2="y.at(need)" />
        <text :x="endOf(need)" :y="y.at(need) - 5" text-anchor="end">
          {{ atNeed ? `at least ${gbUp(need)}, now ${hereWords}` : `at least ${gbUp(need)}` }}
        </text>
      </g>
      <g
        v-for="p in [...points].sort((a, b) => Number(a.index === chosen) - Number(b.index === chosen))"
        :key="p.index"
        class="mark"
        :class="[shapeOf(routes[p.index]!), { chosen: p.index === chosen }]"
        role="button"
        tabindex="0"
        :aria-label="`${p.words || `Route ${letterOf(p.index)}`}: ${p.cost} ${priced ? currency : 'modules handled'}, ${gb(p.value)} ${by === 'usable' ? 'GB' : 'GB/s'}`"
        :aria-pressed="p.index === chosen"
        @click="emit('choose', p.index)"
        @keydown.enter="emit('choose', p.index)">
        <line
          v-if="p.x !== p.true.x || p.y !== p.true.y"
          :x1="p.true.x"
          :y1="p.true.y"
          :x2="p.x"
          :y2="p.y"
          class="stem" />
        <circle
          v-if="p.index === chosen || pinned.includes(p.index)"
          :cx="p.x"
          :cy="p.y"
          :r="p.size + 6"
          class="ring" />
        <circle :cx="p.x" :cy="p.y" :r="Math.max(12, p.size)" class="press" />
        <path :d="PATHS[shapeOf(routes[p.index]!)]" :transform="`translate(${p.x} ${p.y}) scale(${p.size})`" />
        <text v-if="p.label" :x="p.label.x" :y="p.label.y" :text-anchor="p.label.anchor">{{ p.words }}</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.plot {
  padding: 10px 14px 6px;
}
.caption {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: baseline;
  gap: 2px 12px;
}
svg {
  display: block;
  width: 100%;
  height: 340px;
}
text {
  font-size: 13px;
  fill: var(--ink);
}
.grid line {
  stroke: var(--rule);
}
.grid text,
.level text {
  fill: var(--faded);
  font-size: 12px;
}
.hatch {
  fill: var(--rule);
  opacity: 0.55;
}
.stem {
  stroke: var(--faded);
}
.level line {
  stroke: var(--faded);
  stroke-dasharray: 2 4;
}
.need line {
  stroke: var(--umber);
  stroke-dasharray: 6 4;
}
.need text {
  fill: var(--umber);
  font-weight: 600;
}
.mark {
  cursor: pointer;
}
.mark text {
  font-weight: 600;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 5px;
  stroke-linejoin: round;
}
.mark path {
  stroke: var(--sheet);
  stroke-width: 0.08;
}
.go path {
  fill: var(--go);
}
.risk path {
  fill: var(--risk);
}
.ask path {
  fill: var(--sheet);
  stroke: var(--ask);
  stroke-width: 0.3;
}
/* Nothing is gained by pressing it again, and its neighbours can be reached. */
.mark.chosen {
  pointer-events: none;
}
.press {
  fill: transparent;
}
.ring {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.5;
}
</style>

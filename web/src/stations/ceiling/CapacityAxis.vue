<script setup lang="ts">
/** How high, and who says so: every statement as a flag at its value, taller for more trust, over bands of trust. */
import { computed, ref } from 'vue'
import type { CeilingView } from '@/api/client'
import { counted, gb } from '@/ui/figures'
import { useWidth } from '@/ui/width'
import { OUTCOMES } from '@/notes/words'
import { axisOf, placeFlags, type Flag } from './axis'
import ReachCurve from './ReachCurve.vue'
import { KIND_WORDS, saysWords, sourceWords } from './words'

const props = defineProps<{ view: CeilingView; chosen: string | null; pointed: string | null }>()
defineEmits<{ choose: [id: string] }>()

const box = ref<HTMLElement>()
const width = useWidth(box, 330, 1130)
/** On a phone a flag has its value and who says so; where and when stands in the statements below. */
const narrow = computed(() => width.value < 560)
const LEFT = 44
const right = computed(() => width.value - 44)
const ROW = 35
const ROWS = 8
/** Height of the curve of reach. */
const CURVE = 110

const of = (kind: string) => props.view.ceilings.find((c) => c.kind === kind)?.gib ?? null
const official = computed(() => of('official'))
const processor = computed(() => of('processor'))
const physical = computed(() => of('physical'))
/** What was tried is told like a statement: taller for who says so. */
const TRUST = Object.keys(KIND_WORDS)
const tried = computed<Flag[]>(() =>
  props.view.shown.map((t, i) => ({
    id: `trial-${i}`,
    gib: t.gib,
    trust: TRUST.indexOf(t.who),
    words: `${gb(t.gib)} ${OUTCOMES[t.outcome]}`,
    note: narrow.value
      ? ''
      : [KIND_WORDS[t.who], t.elsewhere && `on ${t.elsewhere}`, t.tried_on].filter(Boolean).join(', '),
  })),
)
const stated = computed<Flag[]>(() =>
  props.view.statements
    .filter((s) => s.total_gib !== null)
    .map((s) => ({
      id: s.id,
      gib: s.total_gib!,
      trust: s.trust,
      words: [
        `${gb(s.total_gib!)} ${s.official ? 'official' : (KIND_WORDS[s.source.kind] ?? s.source.kind)}`,
        s.places > 1 && !narrow.value ? saysWords(s) : '',
        s.why_not === 'version' && !narrow.value ? s.condition : '',
      ]
        .filter(Boolean)
        .join(', '),
      note: narrow.value ? '' : sourceWords(s),
    })),
)
const flags = computed(() => [...tried.value, ...stated.value])
/** The most that was tried on this model and worked. */
const shown = computed(
  () =>
    Math.max(
      0,
      ...props.view.shown.filter((t) => !t.elsewhere && ['fine', 'quirks'].includes(t.outcome)).map((t) => t.gib),
    ) || null,
)
const axis = computed(() => {
  const marks = [
    props.view.now_gib,
    props.view.planned_gib ?? 0,
    ...flags.value.map((f) => f.gib),
    official.value ?? 0,
    processor.value ?? 0,
  ]
  // What can be built at most may be far beyond all that anybody speaks of: it is shown where it is near.
  const most = Math.max(...marks)
  if (physical.value && (!most || physical.value <= most * 4)) marks.push(physical.value)
  if (physical.value && !most) marks.push(physical.value / 16)
  return axisOf(marks, LEFT, right.value)
})
const placed = computed(() => placeFlags(flags.value, axis.value, 0, width.value, ROWS))
const states = computed(() => new Map(props.view.statements.map((s) => [s.id, s])))
const bands = computed(() => {
  const { x } = axis.value
  const ends = [
    { name: 'official', tone: 'go', to: official.value },
    { name: 'beyond official, within the processor’s', short: 'the processor’s', tone: 'risk', to: processor.value },
    { name: 'beyond that, shown to work', short: 'shown to work', tone: 'shown', to: shown.value },
    { name: 'nobody vouches for it', tone: 'stop', to: physical.value },
  ]
  let from = LEFT
  const found = []
  for (const band of ends) {
    const to = band.to === null ? from : Math.min(x(band.to), right.value)
    if (to > from) found.push({ ...band, from, to })
    from = Math.max(from, to)
  }
  if (from < right.value) found.push({ name: 'cannot be built', tone: 'none', from, to: right.value })
  return found
})
/** Where the bands begin: below the lowest flag. */
const band = computed(() => (Math.max(0, ...placed.value.map((f) => f.row)) + 1) * ROW + 20)
/** Words beside the mark of what is there now; before it where those of the plan would cover them. */
const nowSide = computed(() => {
  const { now_gib: now, planned_gib: planned } = props.view
  if (planned === null || planned === now) return 'right'
  const apart = axis.value.x(planned) - axis.value.x(now)
  return apart > 0 && apart < 110 ? 'left' : 'right'
})
function classesOf(f: { id: string }): unknown[] {
  const s = states.value.get(f.id)
  const kind = s?.origin ?? `trial ${props.view.shown[Number(f.id.slice(6))]?.outcome}`
  return [
    kind,
    {
      off: s?.holds === false,
      official: s?.official,
      chosen: [props.chosen, props.pointed].includes(f.id),
      binds: s?.binds.length,
    },
  ]
}
const y = (row: number) => 14 + row * ROW
/** The longest of a band's names that fits into it. */
const nameOf = (b: { from: number; to: number; name: string; short?: string }) =>
  [b.name, b.short ?? ''].find((words) => b.to - b.from > words.length * 6.4)
</script>

<template>
  <div ref="box" class="box" tabindex="0" role="group" aria-label="Capacity axis">
    <svg
      :viewBox="`0 0 ${width} ${band + 104 + (view.reach.length ? CURVE + 52 : 0)}`"
      :style="{ width: `${width}px` }">
      <defs>
        <pattern id="unbuildable" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line y2="7" class="hatch" />
        </pattern>
        <filter id="plan-shadow" x="-50%" y="-50%" width="200%" height="200%">
          <feDropShadow dx="3" dy="4" stdDeviation="3" flood-opacity="0.45" />
        </filter>
      </defs>
      <g v-for="b in bands" :key="b.name">
        <rect :x="b.from" :y="band" :width="b.to - b.from" height="28" :class="`band ${b.tone}`">
          <title>{{ b.name }}</title>
        </rect>
        <text v-if="nameOf(b)" :x="(b.from + b.to) / 2" :y="band + 19" class="band-name">{{ nameOf(b) }}</text>
      </g>
      <g v-for="t in axis.ticks" :key="t">
        <line :x1="axis.x(t)" :x2="axis.x(t)" :y1="band + 28" :y2="band + 36" class="tick" />
        <text :x="axis.x(t)" :y="band + 54" class="tick-words">{{ t >= 1024 ? `${t / 1024} TB` : `${t} GB` }}</text>
      </g>
      <line
        v-for="f in placed"
        :key="`pole ${f.id}`"
        :x1="f.x"
        :x2="f.x"
        :y1="y(f.row) - 4"
        :y2="band"
        class="pole"
        :class="classesOf(f)" />
      <g
        v-for="f in placed"
        :key="f.id"
        class="flag"
        :class="classesOf(f)"
        role="button"
        tabindex="0"
        :aria-pressed="chosen === f.id"
        @click="$emit('choose', f.id)"
        @keydown.enter.prevent="$emit('choose', f.id)"
        @keydown.space.prevent="$emit('choose', f.id)">
        <path
          :d="
            f.side === 'right'
              ? `M${f.x} ${y(f.row) - 4}h13l-4 5.5 4 5.5h-13z`
              : `M${f.x} ${y(f.row) - 4}h-13l4 5.5-4 5.5h13z`
          "
          class="cloth" />
        <text :x="f.x + (f.side === 'right' ? 19 : -19)" :y="y(f.row) + 6" :class="f.side" class="words">
          {{ f.words }}
        </text>
        <text :x="f.x + (f.side === 'right' ? 19 : -19)" :y="y(f.row) + 21" :class="f.side" class="note">
          {{ f.note }}
        </text>
      </g>
      <text v-if="!view.now_gib && view.now_not_counted" :x="LEFT" :y="band + 91" class="words">
        what is in it now is not known
      </text>
      <g v-else class="now">
        <path :d="`M${axis.x(view.now_gib)} ${band + 66}l8 9v20h-16v-20z`" class="mark" />
        <text
          :x="axis.x(view.now_gib) + (nowSide === 'right' ? 14 : -14)"
          :y="band + 91"
          :class="nowSide"
          class="words">
          {{ counted(view.now_gib, view.now_not_counted) }} now
        </text>
      </g>
      <g v-if="view.planned_gib !== null && view.planned_gib !== view.now_gib">
        <path
          :d="`M${axis.x(view.planned_gib)} ${band + 66}l8 9v20h-16v-20z`"
          class="mark planned"
          filter="url(#plan-shadow)" />
        <text :x="axis.x(view.planned_gib) + 16" :y="band + 91" class="words">
          {{ counted(view.planned_gib, view.planned_not_counted) }} planned
        </text>
      </g>
      <ReachCurve :view="view" :axis="axis" :left="LEFT" :right="right" :top="band + 138" :height="CURVE" />
    </svg>
  </div>
</template>

<style scoped>
.box {
  overflow-x: auto;
}
svg {
  display: block;
}
text {
  fill: var(--ink);
  font-size: 13px;
}
.words {
  font-weight: 650;
  font-size: 14px;
}
.note,
.tick-words {
  fill: var(--faded);
}
.left {
  text-anchor: end;
}
.band-name,
.tick-words {
  text-anchor: middle;
}
.band-name {
  fill: var(--ink);
  font-size: 12px;
}
.band {
  fill-opacity: 0.14;
}
.band.go {
  fill: var(--go);
}
.band.risk {
  fill: var(--risk);
}
.band.stop {
  fill: var(--stop);
  fill-opacity: 0.08;
}
.band.none {
  fill: url(#unbuildable);
  fill-opacity: 1;
}
.hatch,
.tick {
  stroke: var(--rule);
  stroke-width: 2;
}
.flag {
  cursor: pointer;
}
.flag,
.pole {
  color: var(--faded);
}
.flag text {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 5px;
  stroke-linejoin: round;
}
.processor {
  color: var(--ask);
}
.official {
  color: var(--umber);
}
.survey {
  color: var(--faded);
}
.trial {
  color: var(--go);
}
.trial.not-seen,
.trial.unstable {
  color: var(--stop);
}
.band.shown {
  fill: var(--go);
  fill-opacity: 0.07;
}
.here:not(.official) {
  color: var(--go);
}
.pole {
  stroke: currentColor;
  stroke-width: 2;
}
.cloth {
  fill: currentColor;
}
.pole.off {
  stroke-dasharray: 4 4;
}
.off .cloth {
  fill: var(--sheet);
  stroke: currentColor;
}
.pole.binds,
.pole.chosen {
  stroke-width: 3.5;
}
.chosen .words,
.flag:focus-visible .words,
.flag:hover .words {
  text-decoration: underline;
}
.mark {
  fill: var(--module, #e8ddcf);
  stroke: var(--ink);
}
.planned {
  fill: var(--sheet);
}
</style>

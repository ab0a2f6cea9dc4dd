<script setup lang="ts">
/** One slot with what is in it; given its place and state, it computes neither. */
import { computed } from 'vue'
import type { BoardSlot, Severity } from '@/api/client'
import { tabColours } from '@/frame/tokens'
import { sizes, type Rect } from './geometry'
import { alongLength, fittingLine, fittingLocator, LETTER_EM, slotName, type SlotState } from './state'
import { gb } from '@/ui/figures'

const props = defineProps<{
  place: BoardSlot
  rect: Rect
  state: SlotState
  /** Worst severity of the findings that name it. */
  severity?: Severity
  lit: boolean
  /** While something is in hand: whether it may go here. */
  target?: 'allowed' | 'refused'
  focusable: boolean
  interactive: boolean
  lifted: boolean
  /** Room for the locator, beside its neighbours' and below the slot, in board units. */
  room: number
  below: number
  /** Screen pixels a board unit: how much can be told of a module. */
  scale: number
  /** Its socket has no processor. */
  dead: boolean
  failed: boolean
  marked: boolean
  /** Numeral of the population order, while that is shown. */
  order: number | null
  /** Landmark or facing, while those are shown. */
  told: string | null
  /** Which edge the label is on, where slots face different ways. */
  side?: 'left' | 'right'
  /** Its locator may stand a line lower where neighbours would run into each other. */
  lowered?: boolean
  channel: string
  /** What a survey after the work made of it. */
  proof?: Severity | 'go'
  proofWords?: string
  /** The channel's name is told below, where the slots stand in another order than the channels. */
  mixed: boolean
}>()

const CAPACITY_ROOM = 34
const SEAL_ROOM = 20
/** A lock stands below the capacity. */
const LOCK_ROOM = 24
// A planned module floats a little above its slot.
const FLOAT = 4
const float = computed(() => (props.state.look === 'planned' ? -FLOAT : 0))
const tab = computed(() => (props.place.tab ? (tabColours[props.place.tab] ?? tabColours.grey) : 'var(--rule)'))
const title = computed(() => {
  const { printed, tab, tab_letter } = props.place
  if (!tab) return printed
  return `${printed}: ${tab} tab${tab_letter ? ` (${tab_letter} on the empty slot)` : ''}`
})
const name = computed(() =>
  slotName(
    props.place.printed,
    props.state,
    props.severity,
    ...(props.failed ? ['failed'] : []),
    ...(props.dead ? ['no processor'] : []),
    ...(props.place.locked ? ['opening ends the warranty'] : []),
    ...(props.marked ? ['marked'] : []),
    ...(props.proofWords ? [props.proofWords] : []),
  ),
)
const capacity = computed(() => (props.state.module ? gb(props.state.module.capacity_gib) : ''))
/** Too narrow on screen for the figure: it stands along the module then. */
const narrow = computed(() => props.rect.width * props.scale < 7.5 * capacity.value.length)
/** A figure of three places is smaller, so that it stays within its module. [units] */
const capacitySize = computed(() => `${Math.min(16, (props.rect.width - 2) / (LETTER_EM * capacity.value.length))}px`)
const line = computed(() =>
  props.told
    ? props.told
    : props.state.module
      ? fittingLine(
          props.state.module,
          props.rect.height -
            (props.proof ? SEAL_ROOM : 0) -
            (props.place.locked ? LOCK_ROOM : 0) -
            (narrow.value ? alongLength(capacity.value, props.scale) : CAPACITY_ROOM),
          props.scale,
        )
      : '',
)
const toldOnEmpty = computed(() => (!props.state.module ? props.told : null))
const locator = computed(() => fittingLocator(props.place.short, props.room, props.scale, props.channel, props.below))
/** Whether locators as long as this one run into each other. */
const tight = computed(() => props.lowered !== undefined && 2.3 * 0.62 * Math.max(11.5, 11 / props.scale) > props.room)
const middle = computed(() => props.rect.x + props.rect.width / 2)
</script>

<template>
  <g class="slot" :class="[state.look, { lit, lifted, interactive }, target, severity && lit ? `is-${severity}` : '']">
    <!-- What is pressed, focused and named stands apart from what is drawn: the name says it in words instead. -->
    <rect
      class="hit"
      :data-slot="place.id"
      :tabindex="interactive ? (focusable ? 0 : -1) : undefined"
      :role="interactive ? 'button' : 'img'"
      :aria-label="name"
      :x="rect.x - 3"
      :y="rect.y - sizes.cap"
      :width="rect.width + 6"
      :height="rect.height + 2 * sizes.cap + 18">
      <title>{{ title }}</title>
    </rect>
    <g class="drawn" aria-hidden="true">
      <g :fill="tab" stroke="var(--module-edge)" stroke-width="0.75">
        <rect :x="rect.x + 3" :y="rect.y - sizes.cap" :width="rect.width - 6" :height="sizes.cap - 1" />
        <rect :x="rect.x + 3" :y="rect.y + rect.height + 1" :width="rect.width - 6" :height="sizes.cap - 1" />
      </g>
      <rect class="seat" :x="rect.x" :y="rect.y" :width="rect.width" :height="rect.height" />
      <rect v-if="dead" fill="url(#dead)" :x="rect.x" :y="rect.y" :width="rect.width" :height="rect.height" />
      <text
        v-if="toldOnEmpty"
        class="line mono"
        :transform="`translate(${middle + 4} ${rect.y + rect.height - 8}) rotate(-90)`"
        >{{ toldOnEmpty }}</text
      >
      <text v-if="state.look === 'unknown'" class="query" :x="middle" :y="rect.y + rect.height / 2 + 7">?</text>
      <g v-if="state.module" :transform="float ? `translate(${float} ${float})` : undefined">
        <!-- A failed module has a broken corner. -->
        <path
          v-if="failed"
          class="module broken"
          :d="`M${rect.x} ${rect.y} h${rect.width} v${rect.height - 42} l-10 9 4 9 -10 8 -4 16 H${rect.x} Z`" />
        <rect v-else class="module" :x="rect.x" :y="rect.y" :width="rect.width" :height="rect.height" />
        <rect
          v-if="side"
          class="label-side"
          :x="side === 'left' ? rect.x + 1 : rect.x + rect.width - 4"
          :y="rect.y + 30"
          width="3"
          :height="rect.height - 60" />
        <text v-if="!narrow" class="capacity" :style="{ '--size': capacitySize }" :x="middle" :y="rect.y + 21">{{
          capacity
        }}</text>
        <text v-else class="capacity along" :transform="`translate(${middle + 4 / scale} ${rect.y + 8}) rotate(-90)`">{{
          capacity
        }}</text>
        <text class="line mono" :transform="`translate(${middle + 4} ${rect.y + rect.height - 8}) rotate(-90)`">{{
          line
        }}</text>
      </g>
      <rect
        v-if="lit || target"
        class="halo"
        :x="rect.x - 3 + float"
        :y="rect.y - 3 + float"
        :width="rect.width + 6"
        :height="rect.height + 6" />
      <g
        v-if="proof"
        class="proof"
        :transform="`translate(${middle} ${rect.y + (narrow ? rect.height / 2 : 35)}) scale(${Math.min(1, rect.width / 22)})`"
        :style="{ color: `var(--${proof})` }">
        <circle v-if="proof === 'go'" class="seal" r="9" /><path
          v-if="proof === 'go'"
          class="tick"
          d="M-4 0.5 -1 3.5 4.5 -3" />
        <rect v-else-if="proof === 'stop'" x="-7" y="-7" width="14" height="14" />
        <path v-else-if="proof === 'risk'" d="M0 -9 9 0 0 9 -9 0Z" />
        <path v-else-if="proof === 'slow'" d="M-9 -7H9L0 8Z" />
        <circle v-else class="ask" r="6.5" />
      </g>
      <g v-if="order !== null" class="numeral">
        <circle :cx="middle" :cy="rect.y + rect.height / 2" :r="Math.max(Math.min(13, rect.width / 2), 6.6 / scale)" />
        <text :x="middle" :y="rect.y + rect.height / 2 + 0.36 * Math.max(14, 11 / scale)">{{ order }}</text>
      </g>
      <path
        v-if="marked"
        class="mark"
        :d="`M${rect.x - 4} ${rect.y - sizes.cap - 3} h${rect.width + 8} v${rect.height + 2 * sizes.cap + 6} h-${rect.width + 8} Z`" />
      <text v-if="place.tab_letter && state.look === 'empty'" class="letter" :x="middle" :y="rect.y + 16">{{
        place.tab_letter
      }}</text>
      <g v-if="place.locked" class="lock" :transform="`translate(${middle - 5} ${rect.y + 28})`">
        <rect x="0" y="5" width="10" height="8" />
        <path d="M2 5V3a3 3 0 0 1 6 0v2" fill="none" />
      </g>
      <text
        v-if="locator.turned"
        class="locator turned mono"
        :transform="`translate(${middle + 4 / scale} ${rect.y + rect.height + sizes.cap + 4}) rotate(-90)`"
        >{{ locator.text }}</text
      >
      <text
        v-else
        class="locator mono"
        :x="middle"
        :y="
          rect.y +
          rect.height +
          sizes.cap +
          3 +
          Math.max(11, 11 / scale) +
          (tight && lowered ? Math.max(12, 12 / scale) : 0)
        "
        >{{ locator.text }}</text
      >
      <text
        v-if="mixed && !tight"
        class="of-channel mono"
        :x="middle"
        :y="rect.y + rect.height + sizes.cap + 5 + 2 * Math.max(12, 12 / scale)"
        >{{ channel }}</text
      >
    </g>
  </g>
</template>

<style scoped>
.hit {
  fill: transparent;
  outline: none;
}
.interactive .hit {
  cursor: pointer;
}
.drawn {
  pointer-events: none;
}
.proof > * {
  fill: currentColor;
  stroke: var(--sheet);
  stroke-width: 1.5;
}
.proof > .tick {
  fill: none;
  stroke: var(--sheet);
  stroke-width: 2.4;
}
.proof > .ask {
  fill: var(--sheet);
  stroke: currentColor;
  stroke-width: 3;
}
.seat {
  fill: var(--paper);
  stroke: var(--module-edge);
  stroke-width: 0.75;
}
.empty .seat {
  stroke-opacity: 0.8;
}
.unknown .seat {
  fill: none;
  stroke: var(--ask);
  stroke-width: 1.25;
  stroke-dasharray: 4 3;
}
.module {
  fill: var(--module);
  stroke: var(--module-edge);
}
.broken {
  stroke: var(--stop) !important;
  stroke-width: max(2px, calc(2px * var(--px))) !important;
}
.label-side {
  fill: var(--umber);
}
.numeral circle {
  fill: var(--umber);
}
.numeral text {
  fill: var(--on-umber);
  font-size: max(14px, calc(11px * var(--px)));
  font-weight: 700;
}
.mark {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.of-channel {
  font-size: max(10px, calc(11px * var(--px)));
  fill: var(--faded);
}
.planned .module {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.25;
  filter: drop-shadow(5px 5px 4px var(--shadow));
}
.out .module {
  fill: none;
  stroke: var(--faded);
  stroke-dasharray: 3 3;
}
.out .capacity,
.out .line {
  fill: var(--faded);
}
.out .capacity {
  text-decoration: line-through;
}
text {
  fill: var(--ink);
  text-anchor: middle;
  pointer-events: none;
}
.capacity {
  font-size: max(var(--size, 16px), calc(11px * var(--px)));
  font-weight: 700;
}
.along {
  text-anchor: end;
}
.line {
  font-size: max(11.5px, calc(11px * var(--px)));
  text-anchor: start;
  fill: var(--faded);
}
.planned .line,
.flat .line {
  fill: var(--ink);
}
.query {
  font-size: 20px;
  font-weight: 700;
  fill: var(--ask);
}
.letter {
  font-size: max(11px, calc(11px * var(--px)));
  fill: var(--faded);
}
.locator {
  font-size: max(11.5px, calc(11px * var(--px)));
  font-weight: 600;
}
.turned {
  text-anchor: end;
}
.halo {
  fill: none;
  stroke: var(--umber);
  stroke-width: 2;
  pointer-events: none;
}
.is-stop .halo {
  stroke: var(--stop);
}
.is-ask .halo {
  stroke: var(--ask);
}
.is-risk .halo {
  stroke: var(--risk);
}
.is-slow .halo {
  stroke: var(--slow);
}
.allowed .halo {
  stroke: var(--go);
  stroke-width: 1.5;
}
.refused .halo {
  stroke: var(--stop);
  stroke-dasharray: 2 3;
  stroke-width: 1.25;
}
.refused {
  opacity: 0.75;
}
.lifted .module {
  opacity: 0.45;
}
.lock {
  fill: var(--risk);
  stroke: var(--risk);
}
.hit:focus-visible + .drawn .seat {
  stroke: var(--umber);
  stroke-width: 4;
}
.hit:focus-visible + .drawn .module {
  stroke: var(--umber);
  stroke-width: 3;
}
</style>

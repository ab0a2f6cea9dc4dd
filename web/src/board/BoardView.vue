<script setup lang="ts">
/** The board of a machine: geometry laid out, states derived, layers drawn. Messages go up; it decides nothing. */
import { useKeys } from '@/ui/keys'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Board, Layout, Severity, Target } from '@/api/client'
import { arcs } from './arrows'
import { controllerSpans, layOut, locatorRoom, onlySocket, scaleIn, sizes, type Room } from './geometry'
import { boardAct } from './keys'
import SlotBar from './SlotBar.vue'
import { channelTotals, facingSides, fittingTitle, partlyKnown, slotStates } from './state'
import { counted, gb } from '@/ui/figures'
import { useZoom } from './zoom'

const props = withDefaults(
  defineProps<{
    board: Board
    now: Layout
    goal: Layout
    /** Slots to light, with the severity that lights them. */
    lit?: Map<string, Severity | 'plain'>
    severities?: Map<string, Severity>
    targets?: Map<string, Target>
    lifted?: string | null
    interactive?: boolean
    /** Slots marked to be done something with at once. */
    marked?: Set<string>
    /** Slots whose module is at fault. */
    failed?: string[]
    /** Numerals of the population order on the slots. */
    order?: boolean
    /** What a survey after the work made of each slot, and in words. */
    proofs?: Map<string, { mark: Severity | 'go'; words: string }>
    /** Modules that change their slot: drawn as arrows. */
    moves?: [from: string, to: string][]
    /** Landmarks and facing instead of what the modules are. */
    landmarks?: boolean
    /** The processor that fills the picture; null = the whole board. */
    socket?: string | null
  }>(),
  {
    lit: () => new Map(),
    severities: () => new Map(),
    targets: () => new Map(),
    lifted: null,
    interactive: false,
    marked: () => new Set(),
    failed: () => [],
    order: false,
    proofs: () => new Map(),
    moves: () => [],
    landmarks: false,
    socket: null,
  },
)
const emit = defineEmits<{
  enter: [slot: string]
  remove: [slot: string]
  escape: []
  mark: [slot: string]
  /** Pressed down on, which may become a drag. */
  grab: [slot: string, event: PointerEvent]
  /** Pressed and let go, without scrolling or turning between. */
  press: [slot: string]
  focus: [slot: string]
  /** The pointer is over this slot; null when it has left. */
  hover: [slot: string | null]
}>()

const root = ref<SVGSVGElement>()
const focused = ref('')
const room = ref<Room>()
useKeys('The board', [
  { keys: 'Arrows', does: 'from slot to slot' },
  ...(props.interactive
    ? [
        { keys: 'Enter', does: 'put in what is in hand, or take it up' },
        { keys: 'Space', does: 'mark, for several at once' },
        { keys: 'Delete', does: 'take out' },
      ]
    : []),
  { keys: '+ − 0', does: 'nearer, farther, the whole' },
])
const geometry = computed(() =>
  layOut(props.socket === null ? props.board : onlySocket(props.board, props.socket), room.value),
)
const rooms = computed(() => locatorRoom(geometry.value.slots))
const states = computed(() => slotStates(props.board, props.now, props.goal))
const totals = computed(() => channelTotals(props.board, props.goal))
const open = computed(() => partlyKnown(props.board, props.goal))
const totalOf = (channel: string) => counted(totals.value.get(channel) ?? 0, open.value.has(channel))
const fullest = computed(() => Math.max(1, ...totals.value.values()))
const slotsById = computed(() => new Map(props.board.slots.map((s) => [s.id, s])))
const socketsById = computed(() => new Map(props.board.sockets.map((s) => [s.id, s])))
const channelCounts = computed(() => {
  const counts = new Map<string, number>()
  for (const c of props.board.channels) counts.set(c.socket, (counts.get(c.socket) ?? 0) + 1)
  return counts
})
const focusTarget = computed(() => (slotsById.value.has(focused.value) ? focused.value : geometry.value.slots[0]?.id))

const near = useZoom(geometry)
watch(
  () => props.socket,
  () => near.whole(),
)
/** Screen pixels a board unit: text keeps its size on screen, and detail comes with room and nearness. */
const scale = computed(() => (room.value ? scaleIn(geometry.value, room.value) : 1) * near.zoom.value)
const failedSlots = computed(() => new Set(props.failed))
const dead = computed(() => new Set(props.board.sockets.filter((s) => s.processor === '').map((s) => s.id)))
const socketOfChannel = computed(() => new Map(props.board.channels.map((c) => [c.id, c.socket])))
const channelNames = computed(() => new Map(props.board.channels.map((c) => [c.id, c.name])))
const carriersById = computed(() => new Map(props.board.carriers.map((c) => [c.id, c])))
const controllers = computed(() => controllerSpans(props.board, geometry.value.channels))
/** Boards whose slots hang on several sockets: each socket shows its part. */
const sharedBy = computed(() => {
  const ofSlot = new Map(props.board.slots.map((s) => [s.id, socketOfChannel.value.get(s.channel)]))
  return new Set(
    props.board.carriers.filter((c) => new Set(c.slots.map((s) => ofSlot.get(s))).size > 1).map((c) => c.id),
  )
})
/** Whether a leaf has room for how it is numbered beside its title. */
function titleFits(leaf: { id: string; width: number }): boolean {
  const { title, numbering } = carriersById.value.get(leaf.id)!
  return numbering !== '' && (title.length + numbering.length + 3) * 0.52 * Math.max(12, 11 / scale.value) < leaf.width
}
/** Whether a leaf has room for what its slots' names begin with, beside its title. */
function prefixFits(leaf: { id: string; width: number }): boolean {
  const { title, prefix } = carriersById.value.get(leaf.id)!
  return (
    prefix !== '' &&
    (title.length + (sharedBy.value.has(leaf.id) ? 8 : 0) + prefix.length + 2) * 0.58 * Math.max(12, 11 / scale.value) <
      leaf.width
  )
}
/** A channel's name beside its figure: short where the bar is, nothing where both do not fit (each of its slots tells it too) or channels are a guess. */
function channelName(c: { id: string; name: string; bar: { width: number } }): string {
  if (!props.board.channels_told) return ''
  const figure = totalOf(c.id).length
  return (
    [`ch ${c.name}`, c.name].find((words) => (words.length + figure + 0.5) * 0.58 * textHeight.value <= c.bar.width) ??
    ''
  )
}
/** A controller by its whole name where its channels leave room for that. */
function controllerName(c: { name: string; width: number }): string {
  const whole = `controller ${c.name}`
  return whole.length * 0.58 * textHeight.value <= c.width ? whole : c.name
}
/** A socket's own name, or its number alone where its square is small. */
function socketName(id: string, width: number): string {
  const words = id.replace(/(\D)(\d+)$/, '$1 $2')
  return words.length * 0.6 * Math.max(15, 12 / scale.value) <= width + 8 ? words : (/\d+$/.exec(id)?.[0] ?? words)
}
/** What is told of a socket inside its square: its processor in as many lines as it takes, and its channels. */
function socketLines(id: string, width: number): string[] {
  const processor = socketsById.value.get(id)?.processor
  const count = channelCounts.value.get(id) ?? 0
  // Nobody tells how many there are where which slots share one is a guess.
  const channels = props.board.channels_told ? `${count} ${count === 1 ? 'channel' : 'channels'}` : '? channels'
  const title = processor === '' ? 'no processor' : (processor ?? 'not known')
  return [...fittingTitle(title, width - 6, scale.value), channels]
}
/** What the names of its slots begin with, where there is room for it; '' otherwise. */
function prefixOf(id: string, width: number): string {
  const prefix = socketsById.value.get(id)?.prefix ?? ''
  return prefix.trim() && prefix.length * 0.62 * Math.max(11.5, 11 / scale.value) <= width ? prefix : ''
}
/** From a slot's foot to what stands below it. */
const below = computed(() => {
  const bars = new Map(geometry.value.channels.map((c) => [c.id, c.bar]))
  return new Map(
    geometry.value.slots.map((s) => {
      const [foot, bar] = [s.y + s.height + sizes.cap, bars.get(s.channel)]
      const over = bar && bar.y > foot && bar.x < s.x + s.width && bar.x + bar.width > s.x
      return [s.id, Math.max(0, over ? bar.y - foot - 6 : 0)]
    }),
  )
})
const arrows = computed(() => arcs(props.moves, geometry.value.slots))
const sides = computed(() => facingSides(props.board))
/** Height of a line of the smallest text. [board units] */
const textHeight = computed(() => Math.max(12, 11 / scale.value))
const watching = new ResizeObserver(([entry]) => {
  const { width, height } = entry!.contentRect
  if (width && height) room.value = { width, height }
})
onMounted(() => watching.observe(root.value!))
onBeforeUnmount(() => watching.disconnect())

/** Scale from which a socket has room for its processor's name. */
const PROCESSOR_NEEDS = 0.75

function slotOf(event: Event): string | null {
  return (event.target as Element).closest<SVGGElement>('[data-slot]')?.dataset.slot ?? null
}

function onKey(event: KeyboardEvent): void {
  const slot = slotOf(event)
  const act = props.interactive && slot ? boardAct(event, slot, geometry.value.slots) : null
  if (!act) return
  event.preventDefault()
  if (act.do === 'go') void focusSlot(act.slot)
  else if (act.do === 'near') near[act.how]()
  else if (act.do === 'enter') emit('enter', act.slot)
  else if (act.do === 'mark') emit('mark', act.slot)
  else if (act.do === 'remove') emit('remove', act.slot)
  else emit('escape')
}

async function focusSlot(slot: string): Promise<void> {
  focused.value = slot
  await nextTick()
  root.value?.querySelector<SVGGElement>(`[data-slot="${CSS.escape(slot)}"]`)?.focus()
}

// A slot that has the focus and is renamed keeps it: its element goes, and the one in its place is another.
watch(
  () => geometry.value.slots.map((s) => s.id),
  (now, before) => {
    const had = (document.activeElement as SVGElement | null)?.dataset.slot
    if (!had || !root.value?.contains(document.activeElement) || now.includes(had)) return
    const slot = now[before.indexOf(had)] ?? now[0]
    if (slot) void focusSlot(slot)
  },
)

function onFocus(event: FocusEvent): void {
  const slot = slotOf(event)
  if (slot) {
    focused.value = slot
    const placed = geometry.value.slots.find((s) => s.id === slot)
    if (placed) near.reveal(placed)
    emit('focus', slot)
  }
}

/** Nearer or farther about what the pointer is at. */
function onWheel(event: WheelEvent): void {
  const box = root.value!.getBoundingClientRect()
  const v = near.view.value
  // The picture is centred in its box: what is left over on one side is half of it.
  const drawn = scale.value
  const at = (point: number, from: number, span: number, start: number, length: number) =>
    start + (point - from - (span - length * drawn) / 2) / drawn
  const x = at(event.clientX, box.left, box.width, v.x, v.width)
  const y = at(event.clientY, box.top, box.height, v.y, v.height)
  near.by(event.deltaY < 0 ? near.step : 1 / near.step, [x, y])
}

function onPointerDown(event: PointerEvent): void {
  const slot = slotOf(event)
  if (props.interactive && slot && event.button === 0) emit('grab', slot, event)
}

function onClick(event: MouseEvent): void {
  const slot = slotOf(event)
  if (props.interactive && slot) emit('press', slot)
}

defineExpose({
  /** Put the focus on the board, at the slot where it was last. */
  focus: () => focusTarget.value && focusSlot(focusTarget.value),
  near,
})
</script>

<template>
  <svg
    ref="root"
    class="board"
    :viewBox="`${near.view.value.x} ${near.view.value.y} ${near.view.value.width} ${near.view.value.height}`"
    role="group"
    :aria-label="`Board of ${board.title}`"
    :data-near="near.zoom.value > 1 || undefined"
    :style="{ '--px': 1 / scale }"
    @keydown="onKey"
    @focusin="onFocus"
    @pointerdown="onPointerDown"
    @click="onClick"
    @pointerover="emit('hover', slotOf($event))"
    @pointerleave="emit('hover', null)"
    @wheel.prevent="onWheel">
    <defs>
      <pattern id="dead" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line x1="0" y1="0" x2="0" y2="7" class="hatch" />
      </pattern>
    </defs>
    <g v-for="(c, i) in geometry.carriers" :key="i" class="leaf">
      <rect :x="c.x" :y="c.y" :width="c.width" :height="c.height" rx="3" />
      <text :x="c.x + 8" :y="c.y + Math.max(14, textHeight)">
        <tspan class="leaf-title">{{ carriersById.get(c.id)?.title }}{{ sharedBy.has(c.id) ? ', a part' : '' }}</tspan>
        <tspan v-if="prefixFits(c)" class="mono" dx="8">{{ carriersById.get(c.id)?.prefix }}</tspan>
        <tspan v-if="titleFits(c)" dx="8">{{ carriersById.get(c.id)?.numbering }}</tspan>
      </text>
    </g>
    <g class="traces">
      <template v-for="c in geometry.channels" :key="c.id">
        <polyline v-for="(line, i) in c.traces" :key="i" :points="line.map((p) => p.join(',')).join(' ')" />
      </template>
    </g>
    <g v-for="c in controllers" :key="c.key" class="controller">
      <path :d="`M${c.x} ${c.y + textHeight * 1.6 - 4} v4 h${c.width} v-4`" />
      <text :x="c.x + c.width / 2" :y="c.y + textHeight * 1.6 + 4">
        <title>memory controller {{ c.name }}: the channels that it serves</title>
        {{ controllerName(c) }}
      </text>
    </g>
    <g
      v-for="s in geometry.sockets"
      :key="s.id"
      class="socket"
      :class="{ dead: socketsById.get(s.id)?.processor === '' }">
      <rect :x="s.x" :y="s.y" :width="s.width" :height="s.height" rx="3" />
      <rect class="lid" :x="s.x + 18" :y="s.y + 18" :width="s.width - 36" :height="s.height - 36" />
      <text
        class="name"
        :x="s.x + s.width / 2"
        :y="s.y + s.height / 2 + (scale > PROCESSOR_NEEDS ? -18 : 5 * Math.max(1, 0.7 / scale))">
        {{ socketName(s.id, s.width) }}
      </text>
      <template v-if="scale > PROCESSOR_NEEDS">
        <text
          v-for="(line, i) in socketLines(s.id, s.width)"
          :key="line"
          class="processor"
          :x="s.x + s.width / 2"
          :y="s.y + s.height / 2 + 2 + 16 * i">
          {{ line }}
        </text>
      </template>
      <text
        v-if="prefixOf(s.id, s.width)"
        class="prefix mono"
        :x="s.x + s.width / 2"
        :y="s.y + s.height - 6 * Math.max(1, 0.8 / scale)">
        <title>what all its slots are called before what stands at them</title>
        {{ prefixOf(s.id, s.width) }}
      </text>
    </g>
    <g v-for="c in geometry.channels" :key="c.id" class="channel">
      <rect class="track" :x="c.bar.x" :y="c.bar.y" :width="c.bar.width" :height="c.bar.height" />
      <rect
        class="fill"
        :x="c.bar.x"
        :y="c.bar.y"
        :width="(c.bar.width * (totals.get(c.id) ?? 0)) / fullest"
        :height="c.bar.height" />
      <text class="channel-name" :x="c.bar.x" :y="c.bar.y + 8 + textHeight">{{ channelName(c) }}</text>
      <text class="channel-total" :x="c.bar.x + c.bar.width" :y="c.bar.y + 8 + textHeight">{{ totalOf(c.id) }}</text>
      <g v-if="c.soldered" class="chips" role="img" :aria-label="`soldered on channel ${c.name}`">
        <rect :x="c.soldered.x" :y="c.soldered.y" :width="c.soldered.width" height="20" />
        <rect :x="c.soldered.x" :y="c.soldered.y + 24" :width="c.soldered.width" height="20" />
        <text :x="c.soldered.x + c.soldered.width / 2" :y="c.soldered.y + 15">
          {{ gb(board.channels.find((x) => x.id === c.id)?.soldered?.capacity_gib) }}
        </text>
      </g>
    </g>
    <SlotBar
      v-for="(s, i) in geometry.slots"
      :key="s.id"
      :place="slotsById.get(s.id)!"
      :rect="s"
      :state="states.get(s.id)!"
      :severity="severities.get(s.id)"
      :lit="lit.has(s.id)"
      :target="targets.has(s.id) ? (targets.get(s.id)!.allowed ? 'allowed' : 'refused') : undefined"
      :focusable="s.id === focusTarget"
      :interactive="interactive"
      :lifted="lifted === s.id"
      :scale="scale"
      :room="rooms.get(s.id) ?? 0"
      :below="below.get(s.id) ?? 0"
      :dead="dead.has(socketOfChannel.get(s.channel) ?? '')"
      :failed="failedSlots.has(s.id) && states.get(s.id)!.look !== 'planned'"
      :marked="marked.has(s.id)"
      :order="order ? slotsById.get(s.id)!.order : null"
      :told="
        landmarks
          ? (slotsById.get(s.id)!.landmark ?? slotsById.get(s.id)!.facing ?? slotsById.get(s.id)!.position)
          : null
      "
      :proof="proofs.get(s.id)?.mark"
      :proof-words="proofs.get(s.id)?.words"
      :side="sides.get(s.id)"
      :lowered="s.mixed === true && i % 2 === 1"
      :channel="board.channels_told ? (channelNames.get(s.channel) ?? '') : ''"
      :mixed="s.mixed === true" />
    <g v-if="arrows.length" class="arrows" aria-hidden="true">
      <g v-for="a in arrows" :key="a.key">
        <path :d="a.path" />
        <path class="head" :d="a.head" />
      </g>
    </g>
  </svg>
</template>

<style scoped>
.board {
  display: block;
  width: 100%;
  height: 100%;
  user-select: none;
  -webkit-touch-callout: none;
  /* A finger scrolls the page; sideways it turns to the next processor, and resting it takes up a module. */
  touch-action: pan-y;
}
.arrows path {
  fill: none;
  stroke: var(--umber);
  stroke-width: 2.5;
  pointer-events: none;
}
.traces polyline {
  fill: none;
  stroke: var(--rule);
  stroke-width: 1.5;
}
.hatch {
  stroke: var(--faded);
  stroke-width: 1.5;
  opacity: 0.55;
}
.leaf rect {
  fill: var(--lit);
  stroke: var(--module-edge);
  stroke-width: 1;
}
.leaf text {
  font-size: max(12px, calc(11px * var(--px)));
  fill: var(--faded);
}
.leaf .leaf-title {
  font-weight: 650;
  fill: var(--ink);
}
.controller path {
  fill: none;
  stroke: var(--module-edge);
}
.controller text {
  font-size: max(11px, calc(11px * var(--px)));
  fill: var(--faded);
  text-anchor: middle;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 5px;
}
.socket rect {
  fill: var(--paper);
  stroke: var(--ink);
  stroke-width: 1.25;
}
.socket .lid {
  stroke: var(--rule);
}
.socket.dead rect {
  stroke-dasharray: 5 4;
  stroke: var(--faded);
}
text {
  fill: var(--ink);
}
.name {
  font-size: max(16px, calc(11.5px * var(--px)));
  font-weight: 700;
  text-anchor: middle;
}
.processor {
  font-size: max(12.5px, calc(11px * var(--px)));
  fill: var(--faded);
  text-anchor: middle;
}
.prefix {
  font-size: max(11.5px, calc(11px * var(--px)));
  fill: var(--faded);
  text-anchor: middle;
}
.track {
  fill: var(--rule);
}
.fill {
  fill: var(--umber);
}
.channel-name {
  font-size: max(12px, calc(11px * var(--px)));
  fill: var(--faded);
}
.channel-total {
  font-size: max(12.5px, calc(11px * var(--px)));
  font-weight: 650;
  text-anchor: end;
}
.chips rect {
  fill: var(--module-edge);
}
.chips text {
  font-size: 13px;
  font-weight: 700;
  text-anchor: middle;
  fill: var(--sheet);
}
</style>

<script setup lang="ts">
/** The board of a machine: geometry laid out, states derived, layers drawn. Messages go up; it decides nothing. */
import { computed, nextTick, onBeforeUnmount, onMounted, ref } from 'vue'
import type { Board, Layout, Severity, Target } from '@/api/client'
import { layOut, locatorRoom, neighbour, scaleIn, type Direction, type Room } from './geometry'
import SlotBar from './SlotBar.vue'
import { channelTotals, gb, slotStates } from './state'

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
  }>(),
  { lit: () => new Map(), severities: () => new Map(), targets: () => new Map(), lifted: null, interactive: false },
)
const emit = defineEmits<{
  enter: [slot: string]
  remove: [slot: string]
  escape: []
  grab: [slot: string, event: PointerEvent]
  focus: [slot: string]
}>()

const root = ref<SVGSVGElement>()
const focused = ref('')
const room = ref<Room>()
const geometry = computed(() => layOut(props.board, room.value))
const rooms = computed(() => locatorRoom(geometry.value.slots))
const states = computed(() => slotStates(props.board, props.now, props.goal))
const totals = computed(() => channelTotals(props.board, props.goal))
const fullest = computed(() => Math.max(1, ...totals.value.values()))
const slotsById = computed(() => new Map(props.board.slots.map((s) => [s.id, s])))
const socketsById = computed(() => new Map(props.board.sockets.map((s) => [s.id, s])))
const channelCounts = computed(() => {
  const counts = new Map<string, number>()
  for (const c of props.board.channels) counts.set(c.socket, (counts.get(c.socket) ?? 0) + 1)
  return counts
})
const focusTarget = computed(() => (slotsById.value.has(focused.value) ? focused.value : geometry.value.slots[0]?.id))

/** Screen pixels a board unit: text keeps its size on screen, and detail comes with room. */
const scale = computed(() => (room.value ? scaleIn(geometry.value, room.value) : 1))
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

const DIRECTIONS: Record<string, Direction> = { ArrowLeft: 'left', ArrowRight: 'right', ArrowUp: 'up', ArrowDown: 'down' }

function slotOf(event: Event): string | null {
  return (event.target as Element).closest<SVGGElement>('[data-slot]')?.dataset.slot ?? null
}

function onKey(event: KeyboardEvent): void {
  const slot = slotOf(event)
  if (!props.interactive || !slot || event.ctrlKey || event.metaKey || event.altKey) return
  const direction = DIRECTIONS[event.key]
  if (direction) void focusSlot(neighbour(geometry.value.slots, slot, direction))
  else if (event.key === 'Enter' || event.key === ' ') emit('enter', slot)
  else if (event.key === 'Delete' || event.key === 'Backspace') emit('remove', slot)
  else if (event.key === 'Escape') emit('escape')
  else return
  event.preventDefault()
}

async function focusSlot(slot: string): Promise<void> {
  focused.value = slot
  await nextTick()
  root.value?.querySelector<SVGGElement>(`[data-slot="${CSS.escape(slot)}"]`)?.focus()
}

function onFocus(event: FocusEvent): void {
  const slot = slotOf(event)
  if (slot) {
    focused.value = slot
    emit('focus', slot)
  }
}

function onPointerDown(event: PointerEvent): void {
  const slot = slotOf(event)
  if (props.interactive && slot && event.button === 0) emit('grab', slot, event)
}

defineExpose({
  /** Put the focus on the board, at the slot where it was last. */
  focus: () => focusTarget.value && focusSlot(focusTarget.value),
})
</script>

<template>
  <svg
    ref="root"
    class="board"
    :viewBox="`0 0 ${geometry.width} ${geometry.height}`"
    role="group"
    :aria-label="`Board of ${board.title}`"
    :style="{ '--px': 1 / scale }"
    @keydown="onKey"
    @focusin="onFocus"
    @pointerdown="onPointerDown"
  >
    <g class="traces">
      <polyline v-for="c in geometry.channels" :key="c.id" :points="c.trace.map((p) => p.join(',')).join(' ')" />
    </g>
    <g v-for="s in geometry.sockets" :key="s.id" class="socket" :class="{ dead: socketsById.get(s.id)?.processor === '' }">
      <rect :x="s.x" :y="s.y" :width="s.width" :height="s.height" rx="3" />
      <rect class="lid" :x="s.x + 18" :y="s.y + 18" :width="s.width - 36" :height="s.height - 36" />
      <text class="name" :x="s.x + s.width / 2" :y="s.y + s.height / 2 - 12">{{ s.id.replace(/(\D)(\d+)$/, '$1 $2') }}</text>
      <text v-if="scale > PROCESSOR_NEEDS" class="processor" :x="s.x + s.width / 2" :y="s.y + s.height / 2 + 8">
        {{ socketsById.get(s.id)?.processor ?? 'not known' }}{{ socketsById.get(s.id)?.processor === '' ? 'no processor' : '' }}
      </text>
      <text v-if="scale > PROCESSOR_NEEDS" class="processor" :x="s.x + s.width / 2" :y="s.y + s.height / 2 + 26">
        {{ channelCounts.get(s.id) }} {{ channelCounts.get(s.id) === 1 ? 'channel' : 'channels' }}
      </text>
    </g>
    <g v-for="c in geometry.channels" :key="c.id" class="channel">
      <rect class="track" :x="c.bar.x" :y="c.bar.y" :width="c.bar.width" :height="c.bar.height" />
      <rect
        class="fill"
        :x="c.bar.x"
        :y="c.bar.y"
        :width="(c.bar.width * (totals.get(c.id) ?? 0)) / fullest"
        :height="c.bar.height"
      />
      <text class="channel-name" :x="c.bar.x"   :y="c.bar.y + 8 + textHeight">{{ c.bar.width > 50 ? `ch ${c.name}` : c.name }}</text>
      <text class="channel-total" :x="c.bar.x + c.bar.width" :y="c.bar.y + 8 + textHeight">{{ gb(totals.get(c.id)) }}</text>
      <g v-if="c.soldered" class="chips" role="img" :aria-label="`soldered on channel ${c.name}`">
        <rect :x="c.soldered.x" :y="c.soldered.y" :width="c.soldered.width" height="20" />
        <rect :x="c.soldered.x" :y="c.soldered.y + 24" :width="c.soldered.width" height="20" />
        <text :x="c.soldered.x + c.soldered.width / 2" :y="c.soldered.y + 15">
          {{ gb(board.channels.find((x) => x.id === c.id)?.soldered?.capacity_gib) }}
        </text>
      </g>
    </g>
    <SlotBar
      v-for="s in geometry.slots"
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
    />
  </svg>
</template>

<style scoped>
.board {
  display: block;
  width: 100%;
  height: 100%;
  user-select: none;
  touch-action: none;
}
.traces polyline {
  fill: none;
  stroke: var(--rule);
  stroke-width: 1.5;
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

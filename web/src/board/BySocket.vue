<script setup lang="ts">
/**
 * A board with many processors on a phone: one of them fills the screen, swiping turns to the next, and a line of pads says
 * where one is and what each has. Elsewhere the board alone.
 */
import { computed, ref, watch } from 'vue'
import { Touch as vTouch } from 'vuetify/directives'
import type { Board, Layout } from '@/api/client'
import { counted } from '@/ui/figures'
import { useNarrow } from '@/ui/width'
import { channelTotals, partlyKnown } from './state'

const props = defineProps<{
  board: Board
  now: Layout
  goal: Layout
  /** A slot whose processor is to be looked at. */ slot_?: string
}>()
const narrow = useNarrow()
const sockets = computed(() => props.board.sockets.map((s) => s.id))
const many = computed(() => narrow.value && sockets.value.length > 1)
const totals = (layout: Layout) => {
  const [channels, open] = [channelTotals(props.board, layout), partlyKnown(props.board, layout)]
  return new Map(
    sockets.value.map((s) => {
      const own = props.board.channels.filter((c) => c.socket === s).map((c) => c.id)
      return [
        s,
        counted(
          own.reduce((sum, c) => sum + (channels.get(c) ?? 0), 0),
          own.some((c) => open.has(c)),
        ),
      ]
    }),
  )
}
const pads = computed(() => {
  const [was, will] = [totals(props.now), totals(props.goal)]
  return sockets.value.map((id) => ({ id, was: was.get(id)!, will: will.get(id)! }))
})
/** '' = the whole board. */
const shown = ref<string>()
const socketOf = (slot: string) => props.board.channels.find((c) => c.slots.includes(slot))?.socket
/** The one where something changes first, or the first. */
const first = computed(() => pads.value.find((p) => p.was !== p.will)?.id ?? sockets.value[0]!)
watch(
  () => props.slot_,
  (slot) => slot && (shown.value = socketOf(slot)),
)
const near = computed(() => (many.value ? (shown.value ?? first.value) || null : null))
function turn(by: 1 | -1): void {
  const at = sockets.value.indexOf(near.value ?? '')
  const next = at < 0 ? (by > 0 ? 0 : sockets.value.length - 1) : at + by
  if (sockets.value[next]) shown.value = sockets.value[next]
}
// The directive keeps what it is given first: whether there is anything to turn is looked at then.
const swipe = { left: () => many.value && turn(1), right: () => many.value && turn(-1) }
</script>

<template>
  <div v-touch="swipe" class="by-socket">
    <slot :socket="near"></slot>
    <p v-if="many" class="pads small" role="group" aria-label="Which processor is shown">
      <button
        v-for="p in pads"
        :key="p.id"
        type="button"
        class="pad"
        :aria-pressed="near === p.id"
        @click="shown = p.id">
        <i aria-hidden="true"></i><b>{{ p.id }}</b
        >{{ ' ' }}
        <span class="faded">{{ p.was === p.will ? `${p.was} GB` : `${p.was} to ${p.will}` }}</span>
      </button>
      <button type="button" class="pad" :aria-pressed="near === null" @click="shown = ''"><b>all</b></button>
    </p>
  </div>
</template>

<style scoped>
.by-socket {
  display: contents;
}
.pads {
  display: flex;
  flex-wrap: wrap;
  gap: 0 14px;
  margin: 0;
  padding: 0 12px;
}
.pad {
  display: flex;
  gap: 6px;
  align-items: center;
  min-width: 44px;
  min-height: 44px;
  color: var(--ink);
}
.pad b {
  font-weight: 500;
}
.pad i {
  width: 12px;
  height: 12px;
  border: 1.5px solid var(--ink);
  border-radius: 50%;
}
.pad[aria-pressed='true'] b {
  color: var(--umber);
  font-weight: 700;
}
.pad[aria-pressed='true'] i {
  border-color: var(--umber);
  background: radial-gradient(var(--umber) 42%, transparent 46%);
}
</style>

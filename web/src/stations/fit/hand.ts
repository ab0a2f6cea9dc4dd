/** The module in hand: typed, picked up from a slot or from the tray; by key or by pointer, with where it may go. */
import { computed, ref, shallowRef } from 'vue'
import type { Module, Occupant, Target } from '@/api/client'

export interface Held {
  module: Module
  /** The slot that it leaves; null when it is new. */
  from: string | null
}

const DRAG_BEGINS_AT = 5
/** A finger that rests as long takes up what it rests on; one that moves before scrolls, or turns to the next processor. [ms] */
const HOLD = 350

export function useHand(options: {
  targets: (module: Module, from: string | null) => Promise<Target[]>
  drop: (held: Held, slot: string) => void
}) {
  const held = shallowRef<Held | null>(null)
  const targets = shallowRef<Map<string, Target>>(new Map())
  /** Where the pointer is while dragging; null otherwise. */
  const pointer = ref<{ x: number; y: number } | null>(null)
  const over = ref<string | null>(null)
  let asked = 0

  async function lookUp(): Promise<void> {
    const mine = ++asked
    const now = held.value
    if (!now) return
    const found = await options.targets(now.module, now.from)
    if (mine === asked && held.value) targets.value = new Map(found.map((t) => [t.slot, t]))
  }

  function take(module: Module, from: string | null): void {
    held.value = { module, from }
    targets.value = new Map()
    void lookUp().catch(() => undefined) // the lights are a help; placing is judged anyway
  }

  function letGo(): void {
    held.value = null
    pointer.value = null
    over.value = null
    targets.value = new Map()
    asked += 1
  }

  /** The slot that focus or pointer is at while a module is in hand: says why it may not go there. */
  function look(slot: string | null): void {
    if (held.value) over.value = slot
  }

  /** Put what is in hand into a slot; a new module stays in hand for the next slot. A slot that refuses it says why. */
  function put(slot: string): void {
    const now = held.value
    if (!now) return
    over.value = slot
    if (targets.value.get(slot)?.allowed === false) return
    options.drop(now, slot)
    if (now.from) letGo()
    else void lookUp().catch(() => undefined)
  }

  /** Begin a drag at a pointer press; a press without movement calls `click`. */
  function press(event: PointerEvent, occupant: Occupant | undefined, from: string | null, click: () => void): void {
    const start = { x: event.clientX, y: event.clientY }
    const byFinger = event.pointerType === 'touch'
    const rested = byFinger
      ? setTimeout(() => {
          if (!occupant || occupant === 'unknown') return
          take(occupant, from)
          pointer.value = start
        }, HOLD)
      : undefined
    // What is carried moves, not the page under it.
    const stay = (e: TouchEvent) => pointer.value && e.preventDefault()
    const move = (e: PointerEvent) => {
      if (!pointer.value) {
        if (Math.hypot(e.clientX - start.x, e.clientY - start.y) < DRAG_BEGINS_AT * (byFinger ? 2 : 1)) return
        if (byFinger || !occupant || occupant === 'unknown') return end()
        take(occupant, from)
      }
      pointer.value = { x: e.clientX, y: e.clientY }
      over.value = slotAt(e)
    }
    const up = (e: PointerEvent) => {
      const dragged = pointer.value !== null
      end()
      if (!dragged) return click()
      const slot = slotAt(e)
      const now = held.value
      if (slot && now && slot !== now.from && targets.value.get(slot)?.allowed !== false) options.drop(now, slot)
      letGo()
    }
    const cancel = () => {
      end()
      // The page was scrolled: what was taken up before is still in hand.
      if (pointer.value) letGo()
    }
    const end = () => {
      clearTimeout(rested)
      removeEventListener('touchmove', stay)
      removeEventListener('pointermove', move)
      removeEventListener('pointerup', up)
      removeEventListener('pointercancel', cancel)
    }
    if (byFinger) addEventListener('touchmove', stay, { passive: false })
    addEventListener('pointermove', move)
    addEventListener('pointerup', up)
    addEventListener('pointercancel', cancel)
  }

  function slotAt(e: PointerEvent): string | null {
    return document.elementFromPoint(e.clientX, e.clientY)?.closest<SVGGElement>('[data-slot]')?.dataset.slot ?? null
  }

  /** The target that the pointer is over, with its reason. */
  const hovered = computed(() => (over.value ? (targets.value.get(over.value) ?? null) : null))

  return { held, targets, pointer, over, hovered, take, put, letGo, look, press }
}

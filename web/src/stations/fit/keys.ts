/** Keys of Fit: those that act anywhere on the page, and letters that act while the board has the focus. */
import { onBeforeUnmount, onMounted, reactive } from 'vue'
import { useKeys } from '@/ui/keys'

export interface FitActs {
  escape: () => void
  undo: () => void
  redo: () => void
  /** Fill the next set with what is in hand; spread evenly; swap the two marked. Each does nothing where it cannot. */
  fill: () => void
  spread: () => void
  swap: () => void
}

export function useFitKeys(acts: FitActs) {
  useKeys('The plan', [
    { keys: 'Ctrl+Z', does: 'take the last change back' },
    { keys: 'Ctrl+Shift+Z', does: 'do it again' },
    { keys: 'B', does: 'held on the board: as it is now' },
    { keys: 'O', does: 'held on the board: the order of filling' },
    { keys: 'L', does: 'on the board: landmarks' },
    { keys: 'F', does: 'on the board: fill the next set with what is in hand' },
    { keys: 'S', does: 'on the board: spread evenly' },
    { keys: 'X', does: 'on the board: swap the two that are marked' },
  ])
  /** Shown while a key is held, or for as long as the button says: as it is now, the order's numerals, landmarks. */
  const shown = reactive({ now: false, order: false, landmarks: false })

  function onKey(event: KeyboardEvent): void {
    if (event.key === 'Escape') acts.escape()
    const inField = (event.target as Element).closest('input, textarea')
    if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z' || inField) return
    event.preventDefault()
    if (event.shiftKey) acts.redo()
    else acts.undo()
  }
  /** B and O as long as they are held, L on and off, F fills, S spreads, X swaps. */
  function onBoardKey(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey || event.repeat) return
    const key = event.key.toLowerCase()
    if (key === 'b') shown.now = true
    else if (key === 'o') shown.order = true
    else if (key === 'l') shown.landmarks = !shown.landmarks
    else if (key === 'f') acts.fill()
    else if (key === 's') acts.spread()
    else if (key === 'x') acts.swap()
  }
  function onKeyUp(event: KeyboardEvent): void {
    const key = event.key.toLowerCase()
    if (key === 'b') shown.now = false
    if (key === 'o') shown.order = false
  }
  onMounted(() => {
    addEventListener('keydown', onKey)
    addEventListener('keyup', onKeyUp)
  })
  onBeforeUnmount(() => {
    removeEventListener('keydown', onKey)
    removeEventListener('keyup', onKeyUp)
  })
  return { shown, onBoardKey }
}

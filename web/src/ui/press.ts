/**
 * A press counts for what it began on. Leaving a field answers it, between the pointer's going down elsewhere and its coming up, and
 * what the answer brings may move the button away from under it: it would have pressed nothing.
 */

/** Who moves further than this before letting go has thought better of it. [px] */
const ASIDE = 8
const PRESSED = 'button, a[href], summary, input[type="checkbox"], input[type="radio"]'

export function holdPresses(root: Document): void {
  root.addEventListener('pointerdown', (event) => {
    const pressed = event.target instanceof Element ? event.target.closest<HTMLElement>(PRESSED) : null
    // A finger's press is held by the browser itself; who takes the pointer for a drag says so.
    if (
      !pressed ||
      event.pointerType !== 'mouse' ||
      event.button !== 0 ||
      event.defaultPrevented ||
      !pressed.isConnected
    )
      return
    const { pointerId, clientX, clientY } = event
    const aside = (now: PointerEvent) => {
      if (Math.hypot(now.clientX - clientX, now.clientY - clientY) > ASIDE) pressed.releasePointerCapture(pointerId)
    }
    pressed.setPointerCapture(pointerId)
    pressed.addEventListener('pointermove', aside)
    pressed.addEventListener('lostpointercapture', () => pressed.removeEventListener('pointermove', aside), {
      once: true,
    })
  })
}

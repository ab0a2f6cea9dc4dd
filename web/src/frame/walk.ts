/** The first-visit walk: which part of the guide (guide.ts) somebody is at. */
import { reactive } from 'vue'

const KEY = 'umbrak-walk'
const kept = (): number => {
  try {
    return Number(localStorage.getItem(KEY) ?? -1)
  } catch {
    return -1
  }
}
/** Part at hand; -1 = nobody walks. */
export const walk = reactive({ at: kept() })
export function goTo(part: number): void {
  walk.at = part
  try {
    localStorage.setItem(KEY, String(walk.at))
  } catch {
    // no room in the browser: the walk lasts as long as the page
  }
}

/**
 * The first-visit walk: the guide of ten minutes (docs/ten-minutes.md), a part at a time beside what it speaks of. The guide is the one
 * text; a test follows it to the letter.
 */
import { reactive } from 'vue'
import guide from '../../../docs/ten-minutes.md?raw'

export interface Piece {
  kind: 'plain' | 'bold' | 'typed'
  text: string
}
export interface Part {
  title: string
  /** Where in the tool it is; null = anywhere. */
  page: RegExp | null
  /** Its lines, each in pieces. */
  lines: Piece[][]
}

/** `**bold**` and `` `typed` `` told apart. */
export function pieces(line: string): Piece[] {
  return line
    .split(/(\*\*.+?\*\*|`.+?`)/)
    .filter(Boolean)
    .map((text) => (text.startsWith('**') ? { kind: 'bold', text: text.slice(2, -2) } : text.startsWith('`') ? { kind: 'typed', text: text.slice(1, -1) } : { kind: 'plain', text }))
}

/** The parts that happen in the tool: headings with a page, and the numbered lines below each. */
export function partsOf(text: string): Part[] {
  return text
    .split(/^## /m)
    .slice(1)
    .flatMap((section) => {
      const page = /<!-- page: (\S+) -->/.exec(section)?.[1]
      if (!page) return []
      const lines = [...section.slice(section.indexOf('\n')).matchAll(/^\d+\. (.+)$/gm)].map((m) => pieces(m[1]!))
      return [{ title: section.split('\n')[0]!.replace(/^\d+\. /, ''), page: page === '*' ? null : new RegExp(`^${page}$`), lines }]
    })
}

export const parts = partsOf(guide)
const KEY = 'umbrak-walk'
const kept = (): number => {
  try {
    return Number(localStorage.getItem(KEY) ?? -1)
  } catch {
    return -1
  }
}
/** Part at hand; -1 = nobody walks. */
export const walk = reactive({ at: Math.min(kept(), parts.length - 1) })
export function goTo(part: number): void {
  walk.at = part >= 0 && part < parts.length ? part : -1
  try {
    localStorage.setItem(KEY, String(walk.at))
  } catch {
    // no room in the browser: the walk lasts as long as the page
  }
}
/** Somebody came to another page: the part that happens there, where it is the next. */
export function cameTo(path: string): void {
  const next = parts[walk.at + 1]
  if (walk.at >= 0 && next?.page?.test(path) && !parts[walk.at]!.page?.test(path)) goTo(walk.at + 1)
}

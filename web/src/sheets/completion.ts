/** What may be written at a place of a sheet's text, from the fields that a sheet has. */
import type { Shape } from '@/api/client'

export interface Offer {
  label: string
  detail?: string
  info?: string
  apply?: string
}

/** Names on the way to the end of a text, and whether the next word is a key or a value: { path: ['memory'], key: true }. */
export function placeIn(before: string): { path: string[]; key: boolean } {
  const lines = before.split('\n')
  const path: string[] = []
  const last = lines.at(-1)!
  // Within brackets on this line: what opened them last, from the inside out.
  const inside: string[] = []
  let rest = last
  for (;;) {
    const at = openBracket(rest)
    if (at < 0) break
    const name = /([\w-]+|"[^"]*")\s*:\s*$/.exec(rest.slice(0, at))
    inside.unshift(name ? name[1]!.replaceAll('"', '') : '*')
    rest = rest.slice(0, at)
  }
  const tail = inside.length ? last.slice(rest.length + 1) : last
  const since = tail.slice(Math.max(tail.lastIndexOf(','), tail.lastIndexOf('{'), tail.lastIndexOf('[')) + 1)
  const own = /^\s*(?:- )*\s*([\w-]+)\s*:\s+[\w-]*$/.exec(inside.length ? since : last)
  let indent = inside.length ? indentOf(rest) : indentOf(last)
  if (inside.length && /^\s*(- )+/.test(rest) && inside[0] !== '*') path.push('*')
  for (let i = lines.length - 2; i >= 0 && indent > 0; i--) {
    const line = lines[i]!
    if (!line.trim() || line.trim().startsWith('#') || indentOf(line) >= indent) continue
    const key = /^\s*((?:- )*)([\w."*{}-]+|"[^"]*")\s*:/.exec(line)
    if (key) path.unshift(key[2]!.replaceAll('"', ''))
    indent = indentOf(line)
    if (key?.[1] && key[2]) path.unshift('*')
  }
  path.push(...inside)
  return own ? { path: [...path, own[1]!], key: false } : { path, key: true }
}

/** Columns before a line's key: a dash counts as one of the columns. */
function indentOf(line: string): number {
  return /^\s*(?:- )*/.exec(line)![0].length
}
function openBracket(text: string): number {
  let depth = 0
  for (let i = text.length - 1; i >= 0; i--) {
    if (text[i] === '}' || text[i] === ']') depth++
    else if (text[i] === '{' || text[i] === '[') {
      if (depth === 0) return i
      depth--
    }
  }
  return -1
}

/** What may stand at the end of a text: keys of the block, or words of the value. */
export function completionsAt(fields: Shape, before: string): Offer[] {
  const { path, key } = placeIn(before)
  let here: Shape | null = fields
  for (const step of path) {
    while (here && here.kind === 'list' && step !== '*') here = here.of
    if (!here) return []
    if (here.kind === 'record') here = here.fields.find((f) => f.name === step)?.shape ?? null
    else here = here.of
  }
  while (here?.kind === 'list' && (key || here.of?.kind === 'choice')) here = here.of
  if (!here) return []
  if (key && here.kind === 'record')
    return here.fields.map((f) => ({
      label: f.name,
      detail: f.label === f.name.replaceAll('_', ' ') ? undefined : f.label,
      info: f.help || undefined,
      apply: `${f.name}: `,
    }))
  const words = [...here.options.map(String), ...here.words, ...(here.kind === 'flag' ? ['true', 'false'] : [])]
  return words.map((label) => ({ label }))
}

/** The guide of ten minutes (docs/ten-minutes.md) in parts, as the first-visit walk shows it. The guide is the one text; a test follows it to the letter. */
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
    .map((text) =>
      text.startsWith('**')
        ? { kind: 'bold', text: text.slice(2, -2) }
        : text.startsWith('`')
          ? { kind: 'typed', text: text.slice(1, -1) }
          : { kind: 'plain', text },
    )
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
      return [
        {
          title: section.split('\n')[0]!.replace(/^\d+\. /, ''),
          page: page === '*' ? null : new RegExp(`^${page}$`),
          lines,
        },
      ]
    })
}

export const parts = partsOf(guide)

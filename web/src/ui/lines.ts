/**
 * A table that is read as lines on a phone: `<table v-lines>`. Each row becomes a few lines, its heading first, every other cell with
 * its column's name before it (base.css has how that looks).
 */
import type { Directive } from 'vue'

function name(table: HTMLTableElement): void {
  table.classList.add('lines')
  const heads = [...(table.tHead?.rows[0]?.cells ?? [])].map((cell) =>
    cell.querySelector('.visually-hidden') ? '' : (cell.textContent ?? '').trim(),
  )
  for (const row of [...table.tBodies].flatMap((body) => [...body.rows])) {
    if (row.cells.length !== heads.length) continue // one that spans columns speaks for itself
    heads.forEach((words, i) => {
      const cell = row.cells[i]!
      if (cell.dataset.of !== words) cell.dataset.of = words
    })
  }
}

export const vLines: Directive<HTMLTableElement> = { mounted: name, updated: name }

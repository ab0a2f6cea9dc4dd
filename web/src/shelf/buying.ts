/** What is bought, in words. */
import type { BuyingLine } from '@/api/client'
import { plural } from '@/ui/words'

type Take = BuyingLine['takes'][number]

/** "2 kits of 4, QD5R-32K4; 3 left over". */
export function takeWords(take: Take, line: BuyingLine): string {
  const kits = take.kit > 1 ? `${plural(take.kits, 'kit')} of ${take.kit}` : plural(take.modules, 'module')
  const named = take.part === line.part ? kits : `${kits}, ${take.part}`
  return line.left_over && line.takes.at(-1) === take ? `${named}; ${line.left_over} left over` : named
}

/** What a GB of it costs. */
export function perGb(take: Take, gib: number | null | undefined): string {
  const all = (gib ?? 0) * take.modules
  return all ? `${(Number(take.price) / all).toFixed(2)} a GB` : ''
}

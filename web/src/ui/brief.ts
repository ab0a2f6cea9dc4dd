/** A brief as text that a shop, a colleague or an order can be sent. */
import type { Brief } from '@/api/client'

export function briefText(brief: Brief): string {
  const lines: string[] = []
  if (brief.stops.length) lines.push('This plan cannot work as it is:', ...brief.stops.map((w) => `  ${w}`))
  for (const line of brief.lines) {
    lines.push(line.words, ...line.details.map((d) => `    ${d.what}: ${d.words}`))
    for (const v of line.as_well) lines.push(`  as well: ${v.words}`)
    for (const v of line.nearly) lines.push(`  nearly:  ${v.words}: ${v.comes_to}`)
    for (const v of line.wrong) lines.push(`  wrong:   ${v.words}: ${v.comes_to}`)
  }
  lines.push(...brief.besides)
  if (brief.open.length) lines.push('Nobody can say yet that it fits; not known:', ...brief.open.map((w) => `  ${w}`))
  return lines.join('\n')
}

/** Times by the wall clock of a zone, as date fields write them. */

const FORMAT: Intl.DateTimeFormatOptions = {
  year: 'numeric',
  month: '2-digit',
  day: '2-digit',
  hour: '2-digit',
  minute: '2-digit',
  hourCycle: 'h23',
}

/** "2031-03-01T08:00" in the zone. */
export function toSite(at: string, zone: string): string {
  const parts = Object.fromEntries(
    new Intl.DateTimeFormat('en-GB', { ...FORMAT, timeZone: zone })
      .formatToParts(new Date(at))
      .map((p) => [p.type, p.value]),
  )
  return `${parts.year}-${parts.month}-${parts.day}T${parts.hour}:${parts.minute}`
}

/** The moment that a zone's wall clock shows so: by how far off a guess is, twice, since the guess may lie beyond a change of
 * the clocks. */
export function atSite(local: string, zone: string): string {
  const wanted = Date.parse(`${local}Z`)
  let guess = wanted
  for (let i = 0; i < 2; i += 1) guess += wanted - Date.parse(`${toSite(new Date(guess).toISOString(), zone)}Z`)
  return new Date(guess).toISOString()
}

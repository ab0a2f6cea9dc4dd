/** What people say of a machine beside what is in it: its fields with their words, in the order of forms. */
import type { components } from '@/api/schema'

export type About = components['schemas']['About']
/** Its fields that are text or a day; the columns of an installation's own stand apart. */
export type AboutName = Exclude<keyof About, 'own'>

export interface AboutField {
  name: AboutName
  words: string
  type?: 'date'
  placeholder?: string
  mono?: boolean
  /** Takes the whole width of a form. */
  wide?: boolean
  /** Asked when a machine is made, beside where it stands. */
  atFirst?: boolean
  /** On the page of what is known: heading, value in words, words where nobody said ("" = then it is not shown). */
  short?: string
  as?: (value: string) => string
  untold?: string
}

export const ABOUT: AboutField[] = [
  { name: 'place', words: 'Place', wide: true },
  { name: 'duty_group', words: 'Duty group', placeholder: 'none', atFirst: true, short: 'Group', untold: 'none' },
  {
    name: 'keeper',
    words: 'Looked after by',
    placeholder: 'nobody named',
    atFirst: true,
    short: 'Looked after',
    as: (by) => `by ${by}`,
    untold: 'by nobody named',
  },
  {
    name: 'warranty_end',
    words: 'Warranty until',
    type: 'date',
    atFirst: true,
    short: 'Warranty',
    as: (end) => (end < new Date().toISOString().slice(0, 10) ? `ended ${end}` : `until ${end}`),
    untold: 'end not known',
  },
  {
    name: 'serial',
    words: 'Serial number',
    placeholder: 'not known',
    mono: true,
    wide: true,
    atFirst: true,
    short: 'Serial',
    untold: '',
  },
  {
    name: 'other_serials',
    words: 'Serials it also reports',
    placeholder: 'none; with commas between',
    mono: true,
    wide: true,
    short: 'Also reports',
    untold: '',
  },
  { name: 'asset_tag', words: 'Asset tag', placeholder: 'none', mono: true, short: 'Asset tag', untold: '' },
]

/** What is shown of it where everything known stands: (heading, words, whether nobody said). The place stands in the page's head. */
export function aboutLines(
  about: About,
): { name: string; heading: string; words: string; isUntold: boolean; mono: boolean }[] {
  const own = Object.entries(about.own ?? {}).map(([name, words]) => ({
    name: `own ${name}`,
    heading: name,
    words,
    isUntold: false,
    mono: false,
  }))
  const told = ABOUT.filter((f) => f.name !== 'place').flatMap((f) => {
    const value = about[f.name]
    const words = value ? (f.as?.(value) ?? value) : (f.untold ?? 'not known')
    return words
      ? [{ name: f.name, heading: f.short ?? f.words, words, isUntold: !value, mono: !!f.mono && !!value }]
      : []
  })
  return [...told, ...own]
}

/** As a form has it: every field is text. */
export function aboutAsTyped(about?: About): Record<AboutName, string> {
  return Object.fromEntries(ABOUT.map(({ name }) => [name, about?.[name] ?? ''])) as Record<AboutName, string>
}

/** As the server takes it: a day that is not typed is none. */
export function aboutAsSent(typed: Record<AboutName, string>): About {
  return Object.fromEntries(
    ABOUT.map(({ name, type }) => [name, type === 'date' ? typed[name] || null : typed[name]]),
  ) as unknown as About
}

/** Answers about a board, and how they change: pure. */
import type { Answers, Channel, Module } from '@/api/client'

export const BLANK: Answers = {
  make: '',
  model: '',
  kind: null,
  processors: 1,
  channels: [
    { slots: 2, soldered: false, soldered_gib: null },
    { slots: 2, soldered: false, soldered_gib: null },
  ],
  channels_by: 'guess',
  stand: 'main board',
  carriers: 1,
  generation: null,
  form: null,
  kinds: [],
  kinds_by: 'seen',
  printed: '',
  names: [],
  behind: [],
  bays: null,
  rows: 1,
  first_bay: 1,
  right_to_left: false,
  limit_gib: null,
  limit_by: null,
}

/** What a preset, a sheet or a report brings: the shape of the board; what was said of the machine itself stays. */
const SHAPE = ['processors', 'channels', 'stand', 'carriers', 'printed', 'names', 'behind'] as const

/** The answers with the shape of others, its slots called as they were where the others say nothing of that; who says which slots share a channel is a guess again. */
export function shapedLike(answers: Answers, other: Answers): Answers {
  const shape = Object.fromEntries(SHAPE.map((key) => [key, other[key]]))
  return {
    ...answers,
    ...shape,
    printed: other.printed || answers.printed,
    channels_by: 'guess',
    kind: answers.kind ?? other.kind,
    generation: answers.generation ?? other.generation,
    form: answers.form ?? other.form,
  }
}

/** Generation and form as its modules have them, where nobody answered them and all modules agree. */
export function following(answers: Answers, modules: Module[]): Answers {
  const only = <T>(of: (m: Module) => T | null) => {
    const known = [...new Set(modules.map(of).filter((v): v is T & {} => v !== null))]
    return known.length === 1 ? known[0]! : null
  }
  const form = only((m) => m.form)
  return {
    ...answers,
    generation: answers.generation ?? only((m) => m.generation),
    form: answers.form ?? (form === 'other' ? null : form),
  }
}

/** Channels as many as said: the last is the pattern of those that come. */
export function withChannels(answers: Answers, count: number): Answers {
  const last = answers.channels.at(-1)!
  const channels = Array.from({ length: count }, (_, i) => answers.channels[i] ?? { ...last })
  return reshaped(answers, { channels })
}

/** Every channel that bears slots has as many. */
export function withSlots(answers: Answers, slots: number): Answers {
  const bearing = answers.channels.some((c) => c.slots)
  return reshaped(answers, { channels: answers.channels.map((c) => (c.slots || !bearing ? { ...c, slots } : c)) })
}

/** One channel otherwise than the others. */
export function withChannel(answers: Answers, index: number, change: Partial<Channel>): Answers {
  return reshaped(answers, { channels: answers.channels.map((c, i) => (i === index ? { ...c, ...change } : c)) })
}

/** Soldered memory on a channel of its own before the slots', or none at all. */
export function withSoldered(answers: Answers, soldered: boolean): Answers {
  if (soldered)
    return reshaped(answers, {
      channels: [{ slots: 0, soldered: true, soldered_gib: null }, ...answers.channels.slice(0, 11)],
    })
  const rest = answers.channels
    .filter((c) => c.slots)
    .map((c) => ({ slots: c.slots, soldered: false, soldered_gib: null }))
  return reshaped(answers, { channels: rest.length ? rest : [{ slots: 1, soldered: false, soldered_gib: null }] })
}

/** Another shape: names of single slots and what lies behind what were said of the old one. */
export function reshaped(answers: Answers, change: Partial<Answers>): Answers {
  return { ...answers, ...change, names: [], behind: [] }
}

/** Slots of a channel where all that bear any have as many; null where they differ. */
export function evenSlots(answers: Answers): number | null {
  const counts = new Set(answers.channels.filter((c) => c.slots).map((c) => c.slots))
  return counts.size === 1 ? [...counts][0]! : counts.size ? null : 0
}

export function slotCount(answers: Answers): number {
  return answers.processors * answers.channels.reduce((sum, c) => sum + c.slots, 0)
}

/** How far a part of the answers is: full, half or empty. */
export type Progress = 'all' | 'some' | 'none'
export function progress(...said: boolean[]): Progress {
  return said.every(Boolean) ? 'all' : said.some(Boolean) ? 'some' : 'none'
}

/** Maker and model, the maker once: "Lorne Systems" makes the "Lorne K12". */
export function titled(maker?: string | null, model?: string | null): string {
  const [by, what] = [maker?.trim() ?? '', model?.trim() ?? '']
  const first = by.split(/\s+/)[0]!.toLowerCase()
  return !what || (first && `${what.toLowerCase()} `.startsWith(`${first} `)) ? what || by : `${by} ${what}`.trim()
}

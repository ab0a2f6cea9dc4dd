/** The board as it would be, of what is said: by a sheet, by answers, by a report; slots are kept by their places in order. */
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import {
  api,
  ask,
  type Answers,
  type Built,
  type Layout,
  type Module,
  type Occupant,
  type SheetView,
} from '@/api/client'
import { health } from '@/api/health'
import type { Said } from './said'

/** Ends with what was asked; undefined where it could not be had, which is said elsewhere. */
export type Gently = <T>(what: () => Promise<T>) => Promise<T | undefined>

/** `unseen`: the board could not be seen as it is said now. */
export function useBoardSeen(said: Said, gently: Gently, unseen: () => void) {
  const sheet = shallowRef<SheetView>()
  const built = shallowRef<Built>()
  /** Of a sheet and a report: for each report its slot, as far as names tell. */
  const named = shallowRef<(string | null)[]>([])
  /** The answers that `built` is of. */
  const judged = ref('')
  let asked: AbortController | null = null

  const modules = computed(() => {
    const all = Object.values(said.fitted).filter((m): m is Module => m !== null && m !== 'unknown')
    const reported =
      said.intake?.reading.slots.flatMap((s) => (s.module && s.state !== 'empty' ? [s.module] : [])) ?? []
    return [...new Map([...all, ...reported].map((m) => [JSON.stringify(m), m])).values()]
  })
  async function look(): Promise<void> {
    asked?.abort()
    const mine = (asked = new AbortController())
    if (said.sheet) {
      built.value = undefined
      await lookAtSheet(mine)
    } else if (said.begun) {
      sheet.value = undefined
      const answered = JSON.stringify(said.answers)
      const fitted = Object.fromEntries(modules.value.slice(0, 64).map((m, i) => [`m${i}`, m]))
      const found = await gently(() =>
        ask(
          api.POST('/api/boards', {
            body: { answers: said.answers, fitted: fitted as never, intake_id: said.intake?.id ?? null },
            signal: mine.signal,
          }),
        ),
      )
      if (found && asked === mine) {
        // What makes no board leaves the last one standing: the answer that is wrong says so.
        const before = built.value
        judged.value = answered
        built.value =
          found.board || !before?.board
            ? found
            : {
                ...found,
                board: before.board,
                slots: before.slots,
                sockets: before.sockets,
                open: before.open,
                told: before.told,
                reports: before.reports,
              }
        named.value = built.value.reports
        for (const [socket, processor] of Object.entries(found.processors)) said.processors[socket] ??= processor ?? '-'
      }
    } else {
      sheet.value = built.value = undefined
    }
  }
  async function lookAtSheet(mine: AbortController): Promise<void> {
    const hash = said.sheet
    const found = await gently(() =>
      ask(api.GET('/api/sheets/{hash_}', { params: { path: { hash_: hash } }, signal: mine.signal })),
    )
    if (!found || asked !== mine) return
    sheet.value = found
    if (!said.intake) return
    const params = { path: { intake_id: said.intake.id }, query: { sheet: hash } }
    const match = await gently(() => ask(api.GET('/api/intakes/{intake_id}/match', { params, signal: mine.signal })))
    if (!match || asked !== mine) return
    named.value = match.slots
    for (const [socket, processor] of Object.entries(match.processors)) said.processors[socket] = processor ?? '-'
  }
  /** The newest look at the board; it ends when the answer is here, or cannot be had. */
  let looking = look()
  watch(
    [
      () => JSON.stringify(said.answers),
      () => said.sheet,
      () => said.begun,
      () => said.intake?.id,
      modules,
      () => health.recoveries,
    ],
    () => (looking = look()),
  )
  /** With the processors as they are said to be. */
  const board = computed(() => {
    const drawn = sheet.value?.board ?? built.value?.board
    if (!drawn) return null
    const titles = new Map(sockets.value.flatMap((s) => s.processors.map((p) => [p.id, p.title] as const)))
    const chosen = (id: string) => said.processors[id]
    return {
      ...drawn,
      sockets: drawn.sockets.map((s) =>
        chosen(s.id) ? { ...s, processor: chosen(s.id) === '-' ? '' : (titles.get(chosen(s.id)!) ?? s.processor) } : s,
      ),
    }
  })
  const slots = computed(() => built.value?.slots ?? board.value?.slots.map((s) => s.id) ?? [])
  const sockets = computed(() => sheet.value?.sockets ?? built.value?.sockets ?? [])
  const reports = computed(() => said.intake?.reading.slots ?? [])
  /** Report -> slot, by id; '' where it is left out. */
  const slotOf = computed<Record<number, string>>({
    get: () =>
      Object.fromEntries(
        reports.value.map((_, i) => [
          i,
          said.placed[i] !== undefined ? (slots.value[said.placed[i]!] ?? '') : (named.value[i] ?? ''),
        ]),
      ),
    set: (given) => {
      for (const [i, slot] of Object.entries(given)) {
        const index = Number(i)
        if (slot === slotOf.value[index]) continue
        if (slot) void placesOf([slot]).then((places) => places && (said.placed[index] = places[0]!))
        else said.placed[index] = -1
      }
    },
  })
  const reportAt = computed(
    () => new Map(Object.entries(slotOf.value).flatMap(([i, s]) => (s ? [[s, Number(i)] as const] : []))),
  )
  /** The board as it would be kept: what nobody looked at is not known. */
  const layout = computed<Layout>(() => {
    const found: Layout = {}
    slots.value.forEach((slot, i) => {
      const seen = said.fitted[i]
      const report = reports.value[reportAt.value.get(slot) ?? -1]
      if (seen !== undefined) {
        if (seen !== null) found[slot] = seen
      } else if (report && report.state !== 'unknown') {
        if (report.module && report.state !== 'empty') found[slot] = report.module
      } else found[slot] = 'unknown'
    })
    return found
  })

  /** What decides which slots there are, and in which order. */
  const standing = (a: Answers) => [a.processors, a.channels, a.stand, a.carriers]
  const stand = (answered: string) => answered && JSON.stringify(standing(JSON.parse(answered) as Answers))
  /** What decides how the slots are called. */
  const naming = (a: Answers) => JSON.stringify([standing(a), a.printed, a.names])
  /** The board that is seen is the one that is said. */
  const current = () =>
    said.sheet ? !!sheet.value : !!judged.value && naming(JSON.parse(judged.value) as Answers) === naming(said.answers)
  /** Ends when the board is seen as it is said now: slots are answered by their place in it, and sent by the names that they have there.
   * False where it cannot be seen, and what was said of them would go astray. */
  async function seen(
    needed = !!(Object.keys(said.fitted).length + Object.keys(said.placed).length + reports.value.length),
  ): Promise<boolean> {
    await nextTick() // what was said last is looked at
    for (let last: Promise<void> | undefined; last !== looking; await nextTick()) await (last = looking)
    if (!needed || current()) return true
    unseen()
    return false
  }
  /**
   * Places of slots that were seen. Where the board becomes another one meanwhile: there, by their names; where its slots are but
   * called otherwise, the same places. Null where they are not on it.
   */
  async function placesOf(names: string[]): Promise<number[] | null> {
    const [asSeen, stood] = [said.sheet ? undefined : built.value?.slots, stand(judged.value)]
    if (!current() && !(await seen(true))) return null
    const renamed = !said.sheet && stood === stand(judged.value)
    const places = names.map((name) => ((renamed && asSeen) || slots.value).indexOf(name))
    return places.includes(-1) ? null : places
  }
  const bySlot = (of: Record<number, Occupant | null>) =>
    Object.fromEntries(
      Object.entries(of).flatMap(([i, m]) => (slots.value[Number(i)] ? [[slots.value[Number(i)]!, m]] : [])),
    )
  /** Slot -> the report of what is in it, of slots that are on the board. */
  const placed = () => Object.fromEntries([...reportAt.value].filter(([slot]) => slots.value.includes(slot)))
  function forget(): void {
    sheet.value = undefined
    built.value = undefined
  }
  return {
    sheet,
    built,
    named,
    judged,
    modules,
    board,
    slots,
    sockets,
    reports,
    slotOf,
    layout,
    first: looking,
    seen,
    placesOf,
    bySlot,
    placed,
    forget,
  }
}

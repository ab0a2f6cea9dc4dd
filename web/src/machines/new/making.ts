/** A machine being made: what was said in any order, what it comes to, and keeping it. It outlives the page and the connection. */
import { computed, nextTick, reactive, ref, shallowRef, watch } from 'vue'
import {
  api,
  ask,
  faultsOf,
  Refusal,
  Unreachable,
  wordsOf,
  type Answers,
  type Built,
  type Intake,
  type Layout,
  type Module,
  type Occupant,
  type SheetRow,
  type SheetView,
  type Suggestion,
} from '@/api/client'
import { health } from '@/api/health'
import { keepUnsent } from '@/frame/outbox'
import { session } from '@/frame/session'
import { listed } from '@/ui/words'
import { aboutAsSent, aboutAsTyped } from '../about'
import { BLANK, following, shapedLike } from './answers'

export interface Said {
  /** The machine's id: sent twice, it is made once. */
  id: string
  /** It was kept before its model was known, under this id. */
  waiting_id: string | null
  name: string
  site: string
  about: ReturnType<typeof aboutAsTyped>
  intake: Intake | null
  /** Sheet of its model; '' = none is chosen. */
  sheet: string
  answers: Answers
  /** Whether anything of the board was answered. */
  begun: boolean
  /** Slot, by its place in order -> what somebody saw in it, null = nothing. */
  fitted: Record<number, Occupant | null>
  /** Report -> slot by its place in order, -1 = left out; where names did not tell, or somebody says otherwise. */
  placed: Record<number, number>
  /** Socket -> processor, '-' = none. */
  processors: Record<string, string>
  bays: Record<number, { serial: string; label: string } | null>
  /** Slots that the report leaves out, though the names or the count of its slots show that they are there. */
  leftOut: string[]
}

function blank(): Said {
  return {
    waiting_id: null,
    name: '',
    site: '',
    about: aboutAsTyped(),
    intake: null,
    sheet: '',
    answers: structuredClone(BLANK),
    begun: false,
    fitted: {},
    placed: {},
    processors: {},
    bays: {},
    leftOut: [],
    id: crypto.randomUUID(),
  }
}

const placeOf = () => `umbrak-new-machine:${session.account?.id ?? ''}`

/** What was said before, where the page was left without keeping it. */
function remembered(): Said | null {
  try {
    const kept = JSON.parse(localStorage.getItem(placeOf()) ?? 'null') as Said | null
    return kept && { ...blank(), ...kept, answers: { ...structuredClone(BLANK), ...kept.answers } }
  } catch {
    return null
  }
}

export function useMaking(kept: (id: string | null) => void) {
  const before = remembered()
  const said = reactive<Said>(before ?? blank())
  const isOld = ref(before !== null)
  const sheets = shallowRef<SheetRow[]>([])
  const likely = shallowRef<Suggestion[]>([])
  const sheet = shallowRef<SheetView>()
  const built = shallowRef<Built>()
  /** Of a sheet and a report: for each report its slot, as far as names tell. */
  const named = shallowRef<(string | null)[]>([])
  const faults = reactive<Record<string, string>>({})
  const wrong = ref('')
  const sending = ref(false)
  const note = ref('')
  /** The answers that `built` is of. */
  const judged = ref('')
  /** It was kept in this browser, to be sent later. */
  const waits = ref(false)
  /** The report shows a board that answers cannot say. */
  const draftable = ref(false)
  let asked: AbortController | null = null

  watch(
    said,
    () => {
      try {
        const [now, nothing] = [JSON.stringify({ ...said, id: '' }), JSON.stringify({ ...blank(), id: '' })]
        if (now === nothing) localStorage.removeItem(placeOf())
        else localStorage.setItem(placeOf(), JSON.stringify(said))
      } catch {
        // no room in the browser: the page itself still has it
      }
    },
    { deep: true },
  )
  function anew(): void {
    Object.assign(said, blank())
    isOld.value = false
    sheet.value = undefined
    built.value = undefined
    likely.value = []
    forgetFaults()
    localStorage.removeItem(placeOf())
  }
  function forgetFaults(): void {
    wrong.value = ''
    for (const key of Object.keys(faults)) delete faults[key]
  }

  /** Asked again when the server is back: an answer that was missed leaves no hole. */
  async function gently<T>(what: () => Promise<T>): Promise<T | undefined> {
    try {
      return await what()
    } catch (error) {
      if (error instanceof DOMException && error.name === 'AbortError') return undefined
      if (!(error instanceof Unreachable)) wrong.value = faultsOf(error)
      return undefined
    }
  }

  /** The machine that is here already and reports the same serial number. */
  const here = shallowRef<{ id: string; name: string; retired: boolean } | null>(null)
  watch(
    () => said.intake?.id,
    async (id) => {
      here.value = null
      const found = id
        ? await gently(() => ask(api.GET('/api/intakes/{intake_id}/machine', { params: { path: { intake_id: id } } })))
        : null
      if (said.intake?.id === id) here.value = found ?? null
    },
    { immediate: true },
  )

  const load = () => gently(async () => (sheets.value = await ask(api.GET('/api/sheets'))))

  // -- the board as it would be ---------------------------------------------------------------------

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
  /** Ends when what was begun before is as it was, or cannot be told. */
  const first = Promise.all([load(), looking])
  watch(
    () => health.recoveries,
    () => {
      if (!sheets.value.length) void load()
    },
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

  // -- what is said ---------------------------------------------------------------------------------

  function answer(next: Answers): void {
    said.answers = next
    said.begun = true
  }
  /** What a module in it is, the board takes: what nobody answered yet follows from that. */
  function follow(...more: Module[]): void {
    answer(following(said.answers, [...modules.value, ...more]))
  }
  async function setSlot(slot: string, occupant: Occupant | null | undefined): Promise<void> {
    const [index] = (await placesOf([slot])) ?? []
    if (index === undefined) return
    if (occupant === undefined) delete said.fitted[index]
    else said.fitted[index] = occupant
    if (occupant && occupant !== 'unknown' && !said.sheet) follow(occupant)
  }
  async function tookIn(found: Intake): Promise<void> {
    said.intake = found
    said.placed = {}
    said.leftOut = []
    named.value = []
    draftable.value = false
    const system = found.reading.system
    if (!said.name && system?.serial) said.name = `${system.model ?? 'machine'} ${system.serial}`.slice(0, 120)
    likely.value =
      (await gently(() =>
        ask(api.GET('/api/intakes/{intake_id}/sheets', { params: { path: { intake_id: found.id } } })),
      )) ?? []
    const certain = likely.value.find((s) => s.certain)
    if (certain) said.sheet = certain.hash
    if (said.sheet) return
    await asReported()
  }
  /** The board as the report shows it. */
  async function asReported(): Promise<void> {
    if (!said.intake) return
    const params = { path: { intake_id: said.intake.id } }
    try {
      const begun = await ask(api.GET('/api/boards/from/{intake_id}', { params }))
      const [answers, leftOut] = [{ ...BLANK, ...begun.answers } as Answers, begun.left_out]
      const a = said.answers
      answer({
        ...shapedLike(a, answers),
        make: a.make || answers.make,
        model: a.model || answers.model,
        limit_gib: a.limit_gib ?? answers.limit_gib,
        limit_by: a.limit_by ?? answers.limit_by,
      })
      const [are, them] = leftOut.length === 1 ? ['is', 'it'] : ['are', 'them']
      const missing =
        leftOut.length &&
        `${listed(leftOut)} ${are} not in it: the names or the count of its slots show ${them}. Nobody looked there.`
      note.value = [begun.why && `Of the report: ${begun.why}. Seen, not told.`, begun.guessed, missing]
        .filter(Boolean)
        .join(' ')
      said.leftOut = leftOut
      said.placed = Object.fromEntries(Object.entries(begun.nameless).map(([report, place]) => [Number(report), place]))
    } catch (error) {
      if (error instanceof Unreachable) return
      note.value = faultsOf(error)
      draftable.value = true
      const system = said.intake.reading.system
      // No board is begun: which it is, only who stands before it can say.
      said.answers = following(
        {
          ...said.answers,
          make: said.answers.make || (system?.maker ?? ''),
          model: said.answers.model || (system?.model ?? ''),
        },
        modules.value,
      )
    }
  }
  /** A sheet as the report has the board, slot by slot, where answers cannot say it. */
  async function draft(): Promise<void> {
    if (!said.intake) return
    const params = { path: { intake_id: said.intake.id } }
    const kept = await gently(async () =>
      ask(
        api.POST('/api/sheets', { body: { text: await ask(api.GET('/api/intakes/{intake_id}/draft', { params })) } }),
      ),
    )
    if (!kept) return
    sheets.value = [kept.sheet, ...sheets.value.filter((s) => s.sheet_id !== kept.sheet.sheet_id)]
    draftable.value = false
    note.value = ''
    choose(kept.sheet.hash)
  }
  async function like(hash: string): Promise<void> {
    const found = await gently(() =>
      ask(api.GET('/api/boards/like/{sheet_hash}', { params: { path: { sheet_hash: hash } } })),
    )
    if (!found) return
    said.sheet = ''
    answer(shapedLike(said.answers, { ...BLANK, ...found.answers } as Answers))
    note.value = `Begun ${found.why}: nothing of it is told of this machine.`
  }
  function choose(hash: string): void {
    said.sheet = hash
    said.fitted = {}
    said.placed = {}
    said.processors = {}
  }

  const bySlot = (of: Record<number, Occupant | null>) =>
    Object.fromEntries(
      Object.entries(of).flatMap(([i, m]) => (slots.value[Number(i)] ? [[slots.value[Number(i)]!, m]] : [])),
    )
  // -- keeping --------------------------------------------------------------------------------------

  const lacking = computed(() => {
    const needs = said.sheet
      ? []
      : !said.begun
        ? ['its model, or its board']
        : [
            !said.answers.model.trim() && 'make and model',
            !said.answers.generation && 'its generation',
            !said.answers.form && 'DIMM or SO-DIMM',
          ].filter((x): x is string => !!x)
    return [...(said.name.trim() ? [] : ['a name']), ...needs]
  })
  /** Faults of answers that were given, by field; what was not answered yet is `lacking`, and no fault. */
  const odd = computed<Record<string, string>>(() => {
    const a = said.answers
    if (judged.value !== JSON.stringify(a)) return {} // what was said since is not judged yet
    const unanswered = new Set([
      ...(a.generation ? [] : ['generation']),
      ...(a.form ? [] : ['form']),
      ...(a.model.trim() ? [] : ['model']),
    ])
    return Object.fromEntries(
      (built.value?.faults ?? []).filter((f) => !unanswered.has(f.path)).map((f) => [f.path, f.message]),
    )
  })
  /** What decides how the slots are called. */
  const naming = (a: Answers) => JSON.stringify([a.processors, a.channels, a.stand, a.carriers, a.printed, a.names])
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
    wrong.value =
      'The board cannot be seen as you say it now: Umbrak cannot be reached. What you said stays here; go on once there is a connection.'
    return false
  }
  /** Places of slots that were seen; where the board becomes another one meanwhile, there, by their names. Null where they are not on it. */
  async function placesOf(names: string[]): Promise<number[] | null> {
    if (!current() && !(await seen(true))) return null
    const places = names.map((name) => slots.value.indexOf(name))
    return places.includes(-1) ? null : places
  }
  async function ofSlots(names: string[], answered: (places: number[]) => Answers): Promise<void> {
    const places = await placesOf(names)
    if (places) answer(answered(places))
  }
  function body() {
    const placed = Object.fromEntries([...reportAt.value].filter(([slot]) => slots.value.includes(slot)))
    return {
      id: said.id,
      waiting_id: said.waiting_id,
      name: said.name,
      site: said.site || null,
      ...aboutAsSent(said.about),
      sheet_hash: said.sheet || null,
      board: said.sheet ? null : said.answers,
      intake_id: said.intake?.id ?? null,
      slots: placed,
      fitted: bySlot(said.fitted) as never,
      processors: Object.fromEntries(
        sockets.value.flatMap(({ id, processors }): [string, string | null][] => {
          const p = said.processors[id]
          return p === '-' ? [[id, null]] : processors.some((x) => x.id === p) ? [[id, p!]] : []
        }),
      ),
      bays: said.bays,
      zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    }
  }
  /** What the server refused, each fault at its field. */
  function told(error: unknown): void {
    const all = error instanceof Refusal ? (error.problem.errors ?? []) : []
    for (const { field, message } of all) faults[field.replace(/^board\./, '')] ??= message
    if (!all.length) wrong.value = wordsOf(error)
  }
  async function keep(): Promise<void> {
    if (sending.value || lacking.value.length) return
    forgetFaults()
    sending.value = true
    try {
      if (!(await seen())) return
      const made = await ask(api.POST('/api/machines', { body: body() }))
      Object.assign(said, blank())
      localStorage.removeItem(placeOf())
      kept(made.id)
    } catch (error) {
      if (error instanceof Unreachable) {
        await keepUnsent({
          method: 'POST',
          path: '/api/machines',
          body: body(),
          words: `the new machine ${said.name}`,
          draft: JSON.stringify(said),
        })
        Object.assign(said, blank())
        waits.value = true
        return
      }
      told(error)
    } finally {
      sending.value = false
    }
  }

  /** Kept without a board: it waits for a sheet of its model. */
  async function wait(): Promise<void> {
    if (sending.value || !said.name.trim()) return
    forgetFaults()
    sending.value = true
    const a = said.answers
    const body = {
      id: said.id,
      name: said.name,
      kind: a.kind,
      make: a.make,
      model: a.model,
      intake_id: said.intake?.id ?? null,
      site: said.site || null,
      zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      ...aboutAsSent(said.about),
    }
    try {
      await ask(api.POST('/api/waiting', { body }))
      Object.assign(said, blank())
      localStorage.removeItem(placeOf())
      kept(null)
    } catch (error) {
      if (error instanceof Unreachable) {
        await keepUnsent({
          method: 'POST',
          path: '/api/waiting',
          body,
          words: `the new machine ${said.name}`,
          draft: JSON.stringify(said),
        })
        Object.assign(said, blank())
        waits.value = true
        return
      }
      told(error)
    } finally {
      sending.value = false
    }
  }
  /** A draft of the sheet of what was answered, without any machine; its id, null where it was refused. */
  async function onlySheet(): Promise<string | null> {
    forgetFaults()
    sending.value = true
    try {
      if (!(await seen())) return null
      const board = { answers: said.answers, fitted: bySlot(said.fitted) as never, intake_id: said.intake?.id ?? null }
      const made = await ask(api.POST('/api/drafts', { body: { board } }))
      Object.assign(said, blank())
      localStorage.removeItem(placeOf())
      return made.id
    } catch (error) {
      told(error)
      return null
    } finally {
      sending.value = false
    }
  }
  /** One that was kept without a board: go on with it. */
  async function goOn(key: string): Promise<void> {
    if (said.waiting_id === key) return
    const row = await gently(() => ask(api.GET('/api/waiting/{waiting_id}', { params: { path: { waiting_id: key } } })))
    if (!row) return
    Object.assign(said, blank(), {
      id: row.id,
      waiting_id: row.id,
      name: row.name,
      site: row.site ?? '',
      about: aboutAsTyped(row.about),
    })
    said.answers = {
      ...structuredClone(BLANK),
      kind: (row.kind || null) as Answers['kind'],
      make: row.make,
      model: row.model,
    }
    if (row.intake_id) {
      const found = await gently(() =>
        ask(api.GET('/api/intakes/{intake_id}', { params: { path: { intake_id: row.intake_id! } } })),
      )
      if (found) await tookIn(found)
    }
  }

  return {
    onlySheet,
    first,
    here,
    wait,
    goOn,
    said,
    isOld,
    anew,
    sheets,
    likely,
    sheet,
    built,
    board,
    sockets,
    slots,
    reports,
    slotOf,
    named,
    layout,
    modules,
    faults,
    odd,
    wrong,
    note,
    waits,
    sending,
    lacking,
    answer,
    ofSlots,
    setSlot,
    tookIn,
    asReported,
    draft,
    draftable,
    follow,
    like,
    choose,
    keep,
  }
}

export type Making = ReturnType<typeof useMaking>

/** A machine being made: what was said in any order, what it comes to, and keeping it. It outlives the page and the connection. */
import { ref, shallowRef, watch } from 'vue'
import {
  api,
  ask,
  faultsOf,
  Unreachable,
  type Answers,
  type Intake,
  type Module,
  type Occupant,
  type SheetRow,
  type Suggestion,
} from '@/api/client'
import { health } from '@/api/health'
import { listed } from '@/ui/words'
import { aboutAsTyped } from '../about'
import { BLANK, following, shapedLike } from './answers'
import { useBoardSeen } from './boardSeen'
import { useKeeping } from './keeping'
import { useSaid } from './said'

export function useMaking(kept: (id: string | null) => void) {
  const { said, isOld, forget } = useSaid()
  const sheets = shallowRef<SheetRow[]>([])
  const likely = shallowRef<Suggestion[]>([])
  const wrong = ref('')
  const note = ref('')
  /** The report shows a board that answers cannot say. */
  const draftable = ref(false)

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

  const seen = useBoardSeen(said, gently, () => {
    wrong.value =
      'The board cannot be seen as you say it now: Umbrak cannot be reached. What you said stays here; go on once there is a connection.'
  })
  const { named, modules, placesOf } = seen
  const keeping = useKeeping(said, seen, wrong, forget, kept)
  function anew(): void {
    forget()
    isOld.value = false
    seen.forget()
    likely.value = []
    keeping.forgetFaults()
  }
  /** Ends when what was begun before is as it was, or cannot be told. */
  const first = Promise.all([load(), seen.first])
  watch(
    () => health.recoveries,
    () => {
      if (!sheets.value.length) void load()
    },
  )

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

  async function ofSlots(names: string[], answered: (places: number[]) => Answers): Promise<void> {
    const places = await placesOf(names)
    if (places) answer(answered(places))
  }
  /** One that was kept without a board: go on with it. */
  async function goOn(key: string): Promise<void> {
    if (said.waiting_id === key) return
    const row = await gently(() => ask(api.GET('/api/waiting/{waiting_id}', { params: { path: { waiting_id: key } } })))
    if (!row) return
    forget()
    Object.assign(said, {
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

  const { sheet, built, board, sockets, slots, reports, slotOf, layout } = seen
  const { faults, odd, waits, sending, lacking, keep, wait, onlySheet } = keeping
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

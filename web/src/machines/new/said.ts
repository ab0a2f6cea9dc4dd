/** What was said of a machine that is not kept yet, in any order. It outlives the page. */
import { reactive, ref, watch } from 'vue'
import type { Answers, Intake, Occupant } from '@/api/client'
import { session } from '@/frame/session'
import { aboutAsTyped } from '../about'
import { BLANK } from './answers'

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

export function blank(): Said {
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

export function useSaid() {
  const before = remembered()
  const said = reactive<Said>(before ?? blank())
  const isOld = ref(before !== null)
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
  /** Begin anew: what was said is kept elsewhere, or not wanted. */
  function forget(): void {
    Object.assign(said, blank())
    localStorage.removeItem(placeOf())
  }
  return { said, isOld, forget }
}

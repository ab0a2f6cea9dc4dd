/** A form: its values, what is wrong field by field, sending once at a time, and nothing lost when sending fails. */
import { reactive, ref, type Ref } from 'vue'
import { Refusal, wordsOf } from '@/api/client'

export interface Wrong {
  field: string
  message: string
}

/** What is wrong with fields as the page itself sees it. */
export class FieldFault extends Error {
  readonly all: Wrong[]
  constructor(...all: Wrong[]) {
    super(all.map((w) => w.message).join(' '))
    this.all = all
  }
}

export interface Form<V extends object> {
  values: V
  /** Field -> what is wrong with it. */
  faults: Record<string, string>
  /** What is wrong and belongs to no field of the form; "" = nothing. */
  wrong: Ref<string>
  sending: Ref<boolean>
  /** Send; values stay as they are unless that succeeds and `sent` clears them. */
  submit: () => Promise<void>
  clear: () => void
}

/**
 * @param initial  the values as they are before anybody types
 * @param send     makes a request of the values; what it throws is shown, a refusal at the fields it names
 * @param called   the server's name of a field -> the form's, where they differ
 */
export function useForm<V extends object>(
  initial: V,
  send: (values: V) => Promise<unknown>,
  called: Record<string, keyof V & string> = {},
): Form<V> {
  const values = reactive({ ...initial }) as V
  const faults = reactive<Record<string, string>>({})
  const wrong = ref('')
  const sending = ref(false)

  /** The form's field that a fault is about: by the whole of its path, or one of its parts from the end. */
  function fieldOf(path: string): string | undefined {
    const parts = [path, ...path.split('.').reverse()]
    return parts.map((p) => called[p] ?? p).find((p) => p in values)
  }
  function forget(): void {
    wrong.value = ''
    for (const field of Object.keys(faults)) delete faults[field]
  }
  function tell(error: unknown): void {
    const told = error instanceof FieldFault ? error.all : error instanceof Refusal ? (error.problem.errors ?? []) : []
    const rest: string[] = []
    for (const { field, message } of told) {
      const own = fieldOf(field)
      if (own && !(own in faults)) faults[own] = message
      else if (!own) rest.push(message)
    }
    wrong.value = told.length ? rest.join(' ') : wordsOf(error)
  }
  async function submit(): Promise<void> {
    if (sending.value) return
    forget()
    sending.value = true
    try {
      await send(values)
    } catch (error) {
      tell(error)
    } finally {
      sending.value = false
    }
  }
  function clear(): void {
    forget()
    Object.assign(values, initial)
  }
  return { values, faults, wrong, sending, submit, clear }
}

/**
 * A number as typed, with comma or point; null where nothing is typed.
 *
 * Throws FieldFault for what is no number, and for what could be read in two ways: "1,234" may part thousands or decimals.
 * A point parts decimals: the page itself writes them so.
 */
export function numberIn(field: string, typed: string): number | null {
  const text = typed.trim().replace(/(?<=\d)[  '’](?=\d{3}(?!\d))/g, '')
  if (!text) return null
  const groups = /^([+-]?)([1-9]\d{0,2}),(\d{3})$/.exec(text)
  if (groups) {
    const whole = `${groups[1]}${groups[2]}${groups[3]}`
    throw new FieldFault({
      field,
      message: `“${typed.trim()}” may be ${whole} or ${groups[1]}${groups[2]}.${groups[3]}: write ${whole}, or ${groups[1]}${groups[2]}.${groups[3]}0.`,
    })
  }
  const number = /^[+-]?\d+([,.]\d+)?$/.test(text) ? Number(text.replace(',', '.')) : NaN
  if (!Number.isFinite(number)) throw new FieldFault({ field, message: `“${typed.trim()}” is no number.` })
  return number
}

/** A number of nothing or more that somebody must type. Throws FieldFault also where nothing is typed, or one below nothing. */
export function amountIn(field: string, typed: string | number): number {
  const number = numberIn(field, String(typed))
  if (number === null) throw new FieldFault({ field, message: 'A number is wanted here.' })
  if (number < 0) throw new FieldFault({ field, message: `“${String(typed).trim()}” is below nothing.` })
  return number
}

/** Several numbers as typed, by field; throws one FieldFault with all that is wrong. */
export const numbersIn = <K extends string>(typed: Record<K, string>): Record<K, number | null> => each(typed, numberIn)

/** As `numbersIn`, of numbers that somebody must type. */
export const amountsIn = <K extends string>(typed: Record<K, string | number>): Record<K, number> =>
  each(typed, amountIn)

function each<K extends string, T, N>(typed: Record<K, T>, read: (field: string, typed: T) => N): Record<K, N> {
  const wrong: Wrong[] = []
  const found = Object.entries<T>(typed).flatMap(([field, text]) => {
    try {
      return [[field, read(field, text)]]
    } catch (error) {
      wrong.push(...(error as FieldFault).all)
      return []
    }
  })
  if (wrong.length) throw new FieldFault(...wrong)
  return Object.fromEntries(found) as Record<K, N>
}

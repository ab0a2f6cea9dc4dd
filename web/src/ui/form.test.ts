import { describe, expect, it } from 'vitest'
import { Refusal } from '@/api/client'
import { FieldFault, numberIn, numbersIn, useForm } from './form'

const refusal = (errors: { field: string; message: string }[]) =>
  new Refusal(422, { type: 't', title: 't', status: 422, detail: 'all of it', errors } as never)

describe('a form', () => {
  it('keeps its values when sending fails, and says what is wrong at each field', async () => {
    const form = useForm(
      { price: '', lead: '' },
      () =>
        Promise.reject(
          refusal([
            { field: 'price', message: 'too dear' },
            { field: 'body.lead_days', message: 'too late' },
            { field: 'odd', message: 'and this' },
          ]),
        ),
      { lead_days: 'lead' },
    )
    form.values.price = '9'
    await form.submit()
    expect([form.values.price, { ...form.faults }, form.wrong.value, form.sending.value]).toEqual([
      '9',
      { price: 'too dear', lead: 'too late' },
      'and this',
      false,
    ])
  })

  it('says the whole where no field is named, and forgets it with the next try', async () => {
    let fails = true
    const form = useForm({ name: '' }, async () => {
      if (fails) throw new Error('away')
    })
    await form.submit()
    expect(form.wrong.value).toBe('away')
    fails = false
    await form.submit()
    expect(form.wrong.value).toBe('')
  })

  it('is sent once however often it is pressed', async () => {
    let times = 0
    let done = () => {}
    const form = useForm({}, () => {
      times += 1
      return new Promise<void>((r) => (done = r))
    })
    const first = form.submit()
    await form.submit()
    done()
    await first
    expect(times).toBe(1)
  })
})

describe('a number typed', () => {
  it('is told with every other that is wrong', () => {
    expect(numbersIn({ a: '1', b: '' })).toEqual({ a: 1, b: null })
    expect(() => numbersIn({ a: 'x', b: '1', c: '1,234' })).toThrow(/“x” is no number. “1,234” may be/)
  })

  it.each([
    ['', null],
    [' 12 ', 12],
    ['1,5', 1.5],
    ['1 234,5', 1234.5],
    ['0,125', 0.125],
    ['24.125', 24.125],
    ['-3', -3],
  ])('%j is %j', (typed, number) => expect(numberIn('x', typed)).toBe(number))

  it.each(['seven', '1e30', 'NaN', '1_0', '1,234', '1.2.3', 'Infinity', '--1'])('%j is refused', (typed) =>
    expect(() => numberIn('x', typed)).toThrow(FieldFault),
  )
})

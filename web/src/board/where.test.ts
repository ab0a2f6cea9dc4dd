import { describe, expect, it } from 'vitest'
import { madeBoard } from './made'
import { whereIs } from './where'

describe('where a slot is', () => {
  const plain = madeBoard(2, 2, 2)
  it('says no more than is told: the drawing alone is no place', () => {
    plain.slots.forEach((s) => Object.assign(s, { position: null, tab: null, landmark: null }))
    expect(whereIs(plain, 'P1.A2')).toEqual({
      name: plain.slots.find((s) => s.id === 'P1.A2')!.printed,
      place: '',
      among: 'P1, channel A, one of 2',
    })
  })
  it('tells no channel and no processor where nobody told which slots share one', () => {
    expect(whereIs({ ...plain, channels_told: false }, 'P1.A2')!.among).toBe('')
  })
  it('by position, latches and landmark where they are told', () => {
    Object.assign(
      plain.slots.find((s) => s.id === 'P1.A2')!,
      { position: 'far', tab: 'grey', landmark: 'beside the fan' },
    )
    expect(whereIs(plain, 'P1.A2')!.place).toBe('the one farthest from the processor, grey latches, beside the fan')
  })
  it('by its neighbours where the sheet gives places', () => {
    const placed = madeBoard(1, 2, 2)
    placed.sockets[0] = { ...placed.sockets[0]!, x: 5, y: 0 }
    placed.slots.forEach((s, i) => Object.assign(s, { x: i, y: 0, tab: null, landmark: null }))
    expect(placed.slots.map((s) => whereIs(placed, s.id)!.place)).toEqual([
      'first slot from the left',
      'second slot from the left',
      'second slot from the right',
      'first slot from the right',
    ])
    expect(whereIs(placed, placed.slots[1]!.id)!.among).toBe(
      `between ${placed.slots[0]!.short} and ${placed.slots[2]!.short}`,
    )
  })
  it('is nothing for a slot that is not there', () => expect(whereIs(plain, 'Z9')).toBeNull())
})

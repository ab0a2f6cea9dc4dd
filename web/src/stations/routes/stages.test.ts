import { expect, it } from 'vitest'
import type { Layout } from '@/api/client'
import { madeBoard } from '@/board/made'
import { stageWords } from './stages'

const module = (gib: number, part: string) => ({ capacity_gib: gib, part, rails_v: [] }) as unknown as Layout[string]

it('says what a stage does', () => {
  const board = madeBoard(1, 3, 2)
  const before = { 'P1.A1': module(16, 'OLD'), 'P1.B1': module(16, 'OLD') }
  expect(stageWords(board, before, { ...before, 'P1.A2': module(32, 'N') })).toBe('32 GB N into P1.A2')
  expect(stageWords(board, before, { 'P1.A1': module(32, 'N') })).toBe('32 GB N into P1.A1; P1.B1 emptied')
  const all = Object.fromEntries(board.slots.map((s) => [s.id, module(32, 'N')]))
  expect(stageWords(board, {}, all)).toBe('32 GB N into P1.A1, P1.A2, P1.B1 and 3 more')
  expect(stageWords(board, before, before)).toBe('nothing changes')
})

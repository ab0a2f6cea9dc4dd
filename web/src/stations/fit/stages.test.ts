import { describe, expect, it } from 'vitest'
import { numbered, stagesOf } from './stages'

const A = { capacity_gib: 8 } as never
const B = { capacity_gib: 16 } as never
const goal = { A1: B, A2: B, B1: A }

describe('stages of a plan', () => {
  it('numbers what changes, by the stage in which it comes to its end', () => {
    expect(numbered({ A1: A, B1: A, B2: A }, goal, [], ['A1', 'A2', 'B1', 'B2'])).toEqual({ A1: 1, A2: 1, B2: 1 })
    const stages = [{ changes: { A1: A } }, { changes: { A1: B } }, { changes: { A2: B, B2: null } }] as never
    expect(numbered({ B1: A, B2: A }, goal, stages, ['A1', 'A2', 'B1', 'B2'])).toEqual({ A1: 2, A2: 3, B2: 3 })
  })
  it.each([
    [{ A1: 1, A2: 1 }, []],
    [{ A1: 1, A2: 2, B2: 3 }, [{ A1: B }, { A2: B }]],
    [{ A1: 5, A2: 2 }, [{ A2: B }]],
    [{ B2: 1, A1: 2 }, [{ B2: null }]],
    [{}, []],
  ])('%o are the stages %o', (numbers, stages) => expect(stagesOf(numbers as never, goal)).toEqual(stages))
})

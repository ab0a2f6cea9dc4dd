import { expect, test } from 'vitest'
import { oneAtATime } from './turns'

/** A load whose answers come when they are let. */
function held() {
  const answers: { resolve: () => void; reject: (why: Error) => void }[] = []
  const load = () => new Promise<void>((resolve, reject) => answers.push({ resolve, reject }))
  return { answers, turn: oneAtATime(load) }
}
const settled = () => new Promise((done) => setTimeout(done))

test('a burst is the load under way and one after it, for which all of the burst wait', async () => {
  const { answers, turn } = held()
  const first = turn()
  const others = [turn(), turn(), turn()]
  expect(answers.length).toBe(1)
  let came = 0
  for (const other of others) void other.then(() => came++)
  answers[0]!.resolve()
  await first
  await settled()
  expect([answers.length, came]).toEqual([2, 0])
  answers[1]!.resolve()
  await Promise.all(others)
  await settled()
  expect([answers.length, came]).toEqual([2, 3])
})

test('what was asked for while a load runs is answered by none that began before', async () => {
  const { answers, turn } = held()
  const first = turn()
  const second = turn()
  answers[0]!.resolve()
  await first
  await settled()
  const third = turn()
  expect(third).not.toBe(second)
  answers[1]!.resolve()
  await second
  await settled()
  expect(answers.length).toBe(3)
  answers[2]!.resolve()
  await third
  void turn()
  expect(answers.length).toBe(4)
})

test('what fails keeps none from the next turn', async () => {
  const { answers, turn } = held()
  const first = turn()
  const second = turn()
  answers[0]!.reject(new Error('gone'))
  await expect(first).rejects.toThrow('gone')
  await settled()
  answers[1]!.resolve()
  await second
})

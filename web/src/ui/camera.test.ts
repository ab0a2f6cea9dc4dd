import { afterEach, expect, it, vi } from 'vitest'
import { readCode, readsCodes } from './camera'

/** What a browser that can would have: a camera whose picture has a code in it at the third look. */
function browser(codes: string[]): { stopped: () => number } {
  let stops = 0
  const stream = { getTracks: () => [{ stop: () => stops++ }] }
  vi.stubGlobal('navigator', { mediaDevices: { getUserMedia: async () => stream } })
  vi.stubGlobal(
    'BarcodeDetector',
    class {
      detect = async () => [{ rawValue: codes.shift() ?? '' }]
    },
  )
  return { stopped: () => stops }
}
const video = () => ({ play: async () => undefined, srcObject: null }) as unknown as HTMLVideoElement

afterEach(() => vi.unstubAllGlobals())

it('is not offered where the browser cannot', () => expect(readsCodes()).toBe(false))
it('reads the first code and lets go of the camera', async () => {
  const { stopped } = browser(['', '', 'P/N QP-16 S/N 7'])
  expect(readsCodes()).toBe(true)
  expect([await readCode(video(), new AbortController().signal), stopped()]).toEqual(['P/N QP-16 S/N 7', 1])
})
it('lets go of the camera where it is stopped', async () => {
  const { stopped } = browser([])
  const stop = new AbortController()
  const read = readCode(video(), stop.signal)
  stop.abort()
  expect([await read, stopped()]).toEqual(['', 1])
})

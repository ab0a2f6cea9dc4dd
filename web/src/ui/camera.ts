/** Codes read by the camera, where the browser can: bars and squares on a module's label. */

interface Detected {
  rawValue: string
}
interface Detector {
  detect: (of: HTMLVideoElement) => Promise<Detected[]>
}
type DetectorClass = new (options?: { formats: string[] }) => Detector

const detectorClass = (): DetectorClass | undefined =>
  (globalThis as unknown as { BarcodeDetector?: DetectorClass }).BarcodeDetector

/** Whether this browser reads codes, and has a camera that a page may ask for. */
export const readsCodes = (): boolean => !!detectorClass() && !!navigator.mediaDevices?.getUserMedia

/** Between two looks at the picture [ms]. */
const PAUSE = 200

/**
 * The first code that comes before the camera; "" where it was stopped before.
 * Raises what the browser says where it has no camera, or may not use it.
 */
export async function readCode(video: HTMLVideoElement, stopped: AbortSignal): Promise<string> {
  const detector = new (detectorClass()!)()
  const stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: 'environment' } })
  try {
    video.srcObject = stream
    await video.play()
    while (!stopped.aborted) {
      const [code] = await detector.detect(video)
      if (code?.rawValue) return code.rawValue
      await new Promise((next) => setTimeout(next, PAUSE))
    }
    return ''
  } finally {
    for (const track of stream.getTracks()) track.stop()
    video.srcObject = null
  }
}

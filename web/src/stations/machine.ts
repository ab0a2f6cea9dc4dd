/** The machine that the stations share, provided by MachineView. */
import { inject, type InjectionKey, type Ref } from 'vue'
import type { MachineView } from '@/api/client'

export interface OpenMachine {
  machine: Ref<MachineView>
  reload: () => Promise<void>
  /** What Fit has come to, for the path: set by the station when it knows. */
  fitState: Ref<{ words: string; severity: string } | null>
  /** What Routes has come to, likewise. */
  routesState: Ref<string | null>
  /** What Proof has come to, likewise. */
  proofState: Ref<string | null>
}

export const machineKey: InjectionKey<OpenMachine> = Symbol('machine')

export function useMachine(): OpenMachine {
  const open = inject(machineKey)
  if (!open) throw new Error('a station stands inside a machine')
  return open
}

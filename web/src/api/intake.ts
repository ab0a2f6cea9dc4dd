/** Sending what a machine or a module reports: a file, or text as pasted. */
import { api, ask, type Access, type Intake, type ServiceKind } from './client'

/** @param kind as which it is read; "" = as its content tells */
export function takeIn(given: File | string, kind = ''): Promise<Intake> {
  const form = new FormData()
  if (kind) form.append('kind', kind)
  if (typeof given === 'string') form.append('text', given)
  else form.append('file', given)
  return ask(api.POST('/api/intakes', { body: form as never, bodySerializer: (b: unknown) => b as FormData }))
}

/** Asks a machine that is not kept yet. */
export function askOnce(kind: ServiceKind, access: Access): Promise<Intake> {
  return ask(api.POST('/api/intakes/asked/{kind}', { params: { path: { kind } }, body: access }))
}

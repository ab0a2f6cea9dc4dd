/** What happened to who may come in, in words after the person's name. */
import type { HistoryLine } from '@/api/client'

export function eventWords(line: Pick<HistoryLine, 'action' | 'detail'>): string {
  const d = line.detail as Record<string, unknown>
  const name = String(d.name ?? '')
  const from = d.address ? ` from ${String(d.address)}` : ''
  const words: Record<string, string> = {
    'signed in': `signed in${from}`,
    'sign-in locked': `${name ? `${name} was tried too often` : 'too many tries of a name that is none'}${from}: nobody is heard there for a while`,
    'sessions ended': `ended ${Number(d.count) === 1 ? 'a session' : `${String(d.count)} sessions`} of their own`,
    'password changed': 'changed their password',
    'account added': `added ${name} as a ${String(d.role)}`,
    'account changed': `changed ${name}: ${Object.entries((d.changed as object | undefined) ?? {}).map(([k, v]) => `${k.replace('_', ' ')} ${String(v)}`).join(', ')}`,
    'token made': `made a token for ${name}, as a ${String(d.role)}, until ${String(d.until)}`,
    'token ended': `ended the token for ${name}`,
    'team set': 'said whose word plans at risk want',
    'service kept': `said how a machine is asked, at ${String(d.address)}`,
    'service forgotten': 'forgot how a machine is asked',
  }
  return words[line.action] ?? line.action
}

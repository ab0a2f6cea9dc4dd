/** What happened to who may come in, in words after the person's name. */
import type { HistoryLine } from '@/api/client'

const BULK: Record<string, string> = {
  raw_reports: 'reports as they came',
  attachments: 'photos and logs',
  jobs: 'jobs',
}
const days = (d: Record<string, unknown>) =>
  Object.entries(BULK)
    .map(([k, v]) => `${v} ${d[k] ? `${String(d[k])} days` : 'for good'}`)
    .join(', ')
const counted = (d: Record<string, unknown>) =>
  Object.entries(BULK)
    .filter(([k]) => d[k])
    .map(([k, v]) => `${String(d[k])} ${v}`)
    .join(', ')

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
    'account changed': `changed ${name}: ${Object.entries((d.changed as object | undefined) ?? {})
      .map(([k, v]) => `${k.replace('_', ' ')} ${String(v)}`)
      .join(', ')}`,
    'account linked': `signs in by the directory as ${name} from now on`,
    'token made': `made a token for ${name}, as a ${String(d.role)}, until ${String(d.until)}`,
    'token ended': `ended the token for ${name}`,
    'second factor on': 'has an authenticator now, whose code their sign-in asks for',
    'second factor off': `took away the authenticator of ${name}`,
    'recovery code used': `signed in by a recovery code; ${String(d.left)} are left`,
    'retention set': `said for how long bulk is kept: ${days(d)}`,
    'removed by age': `${counted(d)} removed by their age`,
    'webhook added': `has ${String(d.address)} told what happens`,
    'webhook changed': `has ${String(d.address)} ${d.active ? 'told again' : 'not told for now'}`,
    'webhook ended': `has ${String(d.address)} told nothing any more`,
    'webhook given up': `${String(d.address)} did not answer for three days, and is told nothing until somebody says so: ${String(d.why)}`,
    'team set': 'said whose word plans at risk want',
    'service kept': `said how a machine is asked, at ${String(d.address)}`,
    'service forgotten': 'forgot how a machine is asked',
  }
  return words[line.action] ?? line.action
}

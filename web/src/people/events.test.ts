import { expect, it } from 'vitest'
import { eventWords } from './events'

it('says who was kept out, and never a name that is none', () => {
  expect(eventWords({ action: 'sign-in locked', detail: { name: 'keeper', address: '192.0.2.7' } })).toBe(
    'keeper was tried too often from 192.0.2.7: nobody is heard there for a while',
  )
  expect(eventWords({ action: 'sign-in locked', detail: { name: '', address: '' } })).toBe(
    'too many tries of a name that is none: nobody is heard there for a while',
  )
  expect(
    eventWords({ action: 'account changed', detail: { name: 'keeper', changed: { role: 'lead', active: true } } }),
  ).toBe('changed keeper: role lead, active true')
  expect(eventWords({ action: 'sessions ended', detail: { count: 1 } })).toBe('ended a session of their own')
  expect(eventWords({ action: 'what is new', detail: {} })).toBe('what is new')
})

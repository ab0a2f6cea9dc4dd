/** What Survey calls things. */
import type { MachineView, Occupant, SlotDifference } from '@/api/client'
import { moduleWords } from '@/board/state'

export const KINDS: Record<string, string> = {
  smbios: 'SMBIOS tables',
  'smbios-text': 'listing of its SMBIOS tables',
  redfish: 'its management controller',
  snmp: 'SNMP',
  cim: 'its system, by CIM',
  lshw: 'its hardware listing',
  kernel: 'its kernel’s totals and counters',
  profiler: 'its system’s profiler',
  inxi: 'its system’s summary',
  fru: 'inventories of its controller',
  'decode-dimms': 'decoded SPDs of its modules',
  spd: 'SPD of a module',
  labels: 'labels read by hand',
  'slot-table': 'a table that somebody keeps',
  'by hand': 'seen by hand',
  part: 'its part number, seen elsewhere',
  proof: 'the proof of its last work',
  total: 'its total, and labels, after its last work',
  'run sheet': 'the run sheet of its last work; nobody saw it since',
}

/** One letter for a source, beside a fact. */
export const INITIALS: Record<string, string> = {
  smbios: 'T',
  'smbios-text': 'L',
  redfish: 'M',
  snmp: 'N',
  cim: 'C',
  lshw: 'W',
  kernel: 'K',
  profiler: 'F',
  inxi: 'I',
  fru: 'U',
  'decode-dimms': 'D',
  spd: 'S',
  labels: 'B',
  'slot-table': 'Y',
  'by hand': 'H',
  part: '#',
  proof: 'P',
  total: 'Σ',
  'run sheet': 'R',
}

export const occupantWords = (o: Occupant | null | undefined) =>
  !o ? 'empty' : o === 'unknown' ? 'not known' : moduleWords(o)

export const CHANGES: Record<SlotDifference['change'], string> = {
  same: 'agrees',
  'fills-in': 'tells more',
  differs: 'differs',
  comes: 'is new',
  goes: 'is gone',
  untold: 'does not say',
}

const MEMBERS: Record<string, string> = {
  capacity_gib: 'size',
  package_ranks: 'ranks',
  logical_ranks: 'ranks in all',
  stack_height: 'stack',
  device_width: 'device width',
  die_gbit: 'die density',
  rate_mts: 'rate',
  rails_v: 'volts',
  ecc_bits: 'ECC bits',
  height_mm: 'height',
  maker_code: 'maker code',
  made: 'made',
}
export const memberWords = (name: string) => MEMBERS[name] ?? name.replaceAll('_', ' ')

/** A member's value, as short as it can be said. */
export function valueWords(value: unknown): string {
  if (Array.isArray(value)) return value.join(' or ')
  if (value && typeof value === 'object') return Object.values(value).join('/')
  return value === true ? 'yes' : value === false ? 'no' : String(value)
}

/** What tells modules apart at a glance comes first. */
const FIRST = [
  'capacity_gib',
  'generation',
  'buffering',
  'rate_mts',
  'part',
  'maker',
  'serial',
  'package_ranks',
  'device_width',
]
export function byWeight<T extends { member: string }>(members: T[]): T[] {
  const weight = (m: T) => (FIRST.includes(m.member) ? FIRST.indexOf(m.member) : FIRST.length)
  return [...members].sort((a, b) => weight(a) - weight(b))
}

/** What a machine counted and measured in a slot; "" where there is nothing to say. */
export function healthWords(health: MachineView['survey']['health'][string] | undefined): string {
  if (!health) return ''
  const { correctable, uncorrectable, temperature_c: degrees } = health
  const parts = [
    correctable ? `${correctable} corrected errors` : '',
    uncorrectable ? `${uncorrectable} uncorrected errors` : '',
    degrees ? `${Math.round(degrees)} °C` : '',
  ]
  return parts.filter(Boolean).join(', ')
}

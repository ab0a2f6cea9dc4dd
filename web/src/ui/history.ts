/** History lines in words. */
import type { Board, HistoryLine } from '@/api/client'
import { VERDICTS, type Verdict } from './verdict'

const slotsOf = (line: HistoryLine) => (line.detail.slots as string[] | undefined) ?? []

const verdictWords = (of: unknown) => VERDICTS[of as Verdict]?.words ?? String(of)

function judgedOtherwise({ plan, detail }: HistoryLine): string {
  const what = plan ? `the plan “${plan}”` : String(detail.name)
  const because = detail.because ? ` (${String(detail.because)})` : ''
  return `${what} is judged otherwise: ${verdictWords(detail.was)} → ${verdictWords(detail.verdict)}${because}`
}

/** "A1, A2 and 3 more" by the names printed on the board. */
export function slotWords(slots: string[], board: Board): string {
  const printed = slots.map((id) => board.slots.find((s) => s.id === id)?.printed ?? id)
  return printed.length > 4 ? `${printed.slice(0, 3).join(', ')} and ${printed.length - 3} more` : printed.join(', ')
}

const FIELDS: Record<string, string> = {
  name: 'name',
  place: 'place',
  site: 'site',
  duty_group: 'duty group',
  keeper: 'who looks after it',
  warranty_end: 'end of warranty',
  serial: 'serial number',
  other_serials: 'serials it also reports',
  asset_tag: 'asset tag',
  own: 'columns of your own',
  facts: 'facts',
  retired_at: '',
}

/** What was done: "changed CPU2 F2 in the plan “Even out”". */
export function historyWords(line: HistoryLine, board: Board): string {
  const plan = line.plan ? ` the plan “${line.plan}”` : ' a plan'
  const slots = slotWords(slotsOf(line), board)
  const failed = (line.detail.failed as string[] | undefined) ?? []
  const disputed = (line.detail.disputed as string[] | undefined) ?? []
  const words: Record<string, string> = {
    'machine made': 'made the machine',
    'machine changed': `changed ${Object.keys((line.detail.changed as object | undefined) ?? {})
      .map((k) => FIELDS[k] ?? k)
      .join(', ')}`,
    'machine retired': 'retired the machine',
    'machines merged': `put it together with ${String(line.detail.name)}, which was the same machine`,
    'machine brought back': 'brought the machine back',
    'surveyed by hand': `looked into it: ${slots || 'no slot'}${failed.length ? `; failed: ${slotWords(failed, board)}` : ''}`,
    'looked and found as known': `looked, and found it as known: ${slots}`,
    'said to run': `saw it run with all that is known to be in it: ${slots}`,
    'told by part number': `took over what its part number tells: ${slots || 'no slot'}`,
    surveyed: `surveyed it again by ${String(line.detail.source)}: took over ${slots || 'no slot'}${disputed.length ? `; disputed: ${slotWords(disputed, board)}` : ''}`,
    'service kept': `said how it is asked: ${String(line.detail.kind)} at ${String(line.detail.address)}`,
    'service forgotten': `forgot how it is asked by ${String(line.detail.kind)}`,
    'light on': 'switched its locator light on',
    'light off': 'switched its locator light off',
    stated: `stated a limit by ${String(line.detail.source)}${line.detail.model ? ', of every machine of the model' : ''}`,
    'statement withdrawn': `took back what ${String(line.detail.source)} states`,
    'trial noted': 'noted a trial',
    'exhibit kept': 'attached or linked what is behind a trial or a statement',
    'exhibit removed': 'took away what was attached to a trial or a statement',
    'doubts set': 'set what doubts start from',
    'trial withdrawn': 'took a trial back',
    'bays recorded': `saw what is in bay ${((line.detail.bays as number[] | undefined) ?? []).join(', ')}`,
    'dispute settled': `settled what was disputed about ${slots}`,
    'plan approved': `took the risk of${plan}`,
    'run started': `began to run${plan}`,
    'run done': 'ticked a step',
    'run undone': 'took a tick back',
    'run not-right': 'found a step not right',
    'run note': 'noted something at the bench',
    'run doubt': 'doubted its sheet at the bench',
    'run label': 'noted a label and serial',
    'run changed': 'handled a module beside the run sheet',
    'run waived': 'went on without something that the proof lacks',
    'run counting': 'said whether its errors are counted',
    'run test-withdrawn': 'took a memory test’s result back',
    'run boot-undone': 'took a boot’s answer back',
    'run signed': 'signed the proof off',
    'run photo': 'took a photo at the bench',
    'run survey': 'looked at what it shows after the work',
    'run memory-test': 'entered a memory test',
    'run reading': 'read counters and temperatures',
    'run soak': 'began the soak',
    'run restart': 'saw an unplanned restart',
    'run scrub': 'saw a scrub of the array end',
    'run alert': 'entered an alert',
    'run cleared': 'cleared old alerts and lights',
    'run allocation': 'tried what a workload really gets',
    'run proposal': 'entered other positions that the machine proposes',
    'run symptom': 'began a fault search',
    'run boot': 'entered a boot of the fault search',
    'run found': 'ended the fault search',
    'run proved': `proved${plan} and signed it off`,
    'run back on duty': `brought it back on duty${plan}, with something waived`,
    'run backed out': `backed${plan} out: ${String(line.detail.reason)}`,
    'window set': 'set the maintenance window',
    'verdict changed': judgedOtherwise(line),
    'sheet taken': `brought it under revision ${String(line.detail.revision)} of its sheet`,
    'plan started': `started${plan}`,
    'plan edit': `changed ${slots} in${plan}`,
    'plan undo': `undid a change of ${slots} in${plan}`,
    'plan redo': `did a change of ${slots} in${plan} again`,
    'plan staged': `set the stages of${plan}`,
    'plan renamed': `called a plan “${String(line.detail.name)}”`,
    'plan runs with': `said what the machine will run with: ${
      Object.entries((line.detail.facts as Record<string, unknown>) ?? {})
        .map(([n, v]) => (n === 'processors' ? 'processors' : `${n} ${String(v)}`))
        .join(', ') || 'as today'
    }`,
    'plan discarded': `discarded${plan}`,
    'plan brought back': `brought back${plan}`,
  }
  return words[line.action] ?? line.action
}

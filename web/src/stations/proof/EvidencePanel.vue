<script setup lang="ts">
/** What else speaks for or against it: memory tests with their logs, alerts and lights, an allocation trial, the machine's own
 * proposal of positions. */
import { computed, ref } from 'vue'
import { faultsOf, wordsOf, type MachineView, type Proof } from '@/api/client'
import { gb } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { age } from '@/ui/words'
import { printedOf } from './words'

const props = defineProps<{
  machine: MachineView
  proof: Proof
  runId: string
  active: boolean
  enter: (entry: Record<string, unknown>) => Promise<void>
}>()
const emit = defineEmits<{ changed: [] }>()
const form = ref<'' | 'test' | 'alert' | 'cleared' | 'allocation' | 'proposal' | 'changed'>('')
const wrong = ref('')
const busy = ref(false)
const test = ref<{ tool: string; passes: number | ''; errors: number | ''; tested_gib: number | '' }>({
  tool: '',
  passes: '',
  errors: '',
  tested_gib: '',
}) // what nobody typed is no result
const alert = ref('')
const back = ref('')
/** Whether what came back is expected; "" = its words decide. */
const expected = ref<'' | 'yes' | 'no'>('')
const changed = ref<{ slots: string[]; rate: boolean; text: string }>({ slots: [], rate: false, text: '' })
const allocation = ref({ share: '', used: '', text: '' })
const moves = ref([{ from: '', to: '' }])
const slots = computed(() => props.machine.board.slots)

async function act(work: () => Promise<unknown>): Promise<void> {
  const sent = form.value
  busy.value = true
  wrong.value = ''
  try {
    await work()
    // Another form that was opened meanwhile stays.
    if (form.value === sent) form.value = ''
  } catch (error) {
    wrong.value = faultsOf(error) || wordsOf(error)
  } finally {
    busy.value = false
  }
}
const keepTest = () =>
  act(() =>
    props.enter({
      kind: 'memory-test',
      ...test.value,
      passes: Number(test.value.passes),
      errors: Number(test.value.errors),
      tested_gib: test.value.tested_gib === '' ? null : Number(test.value.tested_gib),
    }),
  )
/** Test -> why it is taken back, while that is written. */
const withdrawing = ref<{ test: string; text: string } | null>(null)
const takeBack = () =>
  act(() => props.enter({ kind: 'test-withdrawn', ...withdrawing.value! }).then(() => (withdrawing.value = null)))
async function log(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  await act(async () => {
    const body = new FormData()
    body.set('file', file)
    body.set('tool', test.value.tool)
    const answer = await fetch(`/api/runs/${props.runId}/logs/${crypto.randomUUID()}`, { method: 'PUT', body })
    if (!answer.ok) throw new Error(((await answer.json()) as { detail: string }).detail)
    emit('changed')
  })
  input.value = ''
}
const keepAlert = () => act(() => props.enter({ kind: 'alert', text: alert.value }).then(() => (alert.value = '')))
const keepCleared = () =>
  act(() =>
    props.enter({
      kind: 'cleared',
      back: back.value,
      expected: expected.value === '' ? null : expected.value === 'yes',
    }),
  )
const keepChanged = () =>
  act(() =>
    props
      .enter({ kind: 'changed', ...changed.value })
      .then(() => (changed.value = { slots: [], rate: false, text: '' })),
  )
const keepAllocation = () =>
  act(() =>
    props.enter({
      kind: 'allocation',
      share_gib: Number(allocation.value.share),
      used_gib: Number(allocation.value.used),
      text: allocation.value.text,
    }),
  )
const keepProposal = () =>
  act(() =>
    props.enter({
      kind: 'proposal',
      moves: Object.fromEntries(moves.value.filter((m) => m.from && m.to).map((m) => [m.from, m.to])),
    }),
  )
const moved = (m: Record<string, string>) =>
  Object.entries(m)
    .map(([a, b]) => `${printedOf(props.machine.board, a)} → ${printedOf(props.machine.board, b)}`)
    .join(', ')
</script>

<template>
  <section class="panel evidence" aria-labelledby="evidence-title">
    <div class="head">
      <h2 id="evidence-title">Evidence</h2>
      <div v-if="active" class="acts">
        <button
          v-for="[key, words] in [
            ['test', 'Memory test'],
            ['cleared', 'Alerts cleared'],
            ['alert', 'An alert'],
            ['allocation', 'Allocation trial'],
            ['proposal', 'It proposes other positions'],
            ['changed', 'A module was handled'],
          ] as const"
          :key="key"
          type="button"
          class="choice"
          :aria-pressed="form === key"
          @click="form = form === key ? '' : key">
          {{ words }}
        </button>
      </div>
    </div>
    <form v-if="form === 'test'" class="fields grid" @submit.prevent="keepTest">
      <p class="faded small wide">
        {{
          proof.test_how.length
            ? proof.test_how.map((w) => `${w[0]!.toUpperCase()}${w.slice(1)}.`).join(' ')
            : 'Its sheet does not say how its memory is tested: say what you used.'
        }}
      </p>
      <label>Tool <input v-model="test.tool" required maxlength="200" /></label>
      <label>Passes <input v-model="test.passes" type="number" min="0" required /></label>
      <label>Errors <input v-model="test.errors" type="number" min="0" required /></label>
      <label
        >Went over [GB] <input v-model="test.tested_gib" type="number" min="0" step="any" placeholder="all of it"
      /></label>
      <label class="wide"
        >Or its log: searched for the verdict <input type="file" :disabled="busy" @change="log"
      /></label>
      <div class="choices"><button class="press slim" type="submit" :disabled="busy">Keep the result</button></div>
    </form>
    <form v-else-if="form === 'cleared'" class="fields grid" @submit.prevent="keepCleared">
      <label class="wide"
        >Old alerts and lights were cleared and read again; what came back
        <input v-model="back" maxlength="2000" placeholder="nothing"
      /></label>
      <label v-if="back.trim()"
        >Is that known of these parts?
        <select v-model="expected">
          <option value="">its words decide</option>
          <option value="yes">yes, it is expected</option>
          <option value="no">no</option>
        </select></label
      >
      <div class="choices">
        <button class="press slim" type="submit" :disabled="busy">
          {{ back.trim() ? 'This came back' : 'Nothing came back' }}
        </button>
      </div>
    </form>
    <form v-else-if="form === 'alert'" class="fields grid" @submit.prevent="keepAlert">
      <label class="wide">The alert, as it stands there <input v-model="alert" required maxlength="2000" /></label>
      <div class="choices"><button class="press slim" type="submit" :disabled="busy">Keep the alert</button></div>
    </form>
    <form v-else-if="form === 'allocation'" class="fields grid" @submit.prevent="keepAllocation">
      <p class="faded small wide">
        {{
          proof.allocation?.do
            ? `${proof.allocation.do[0]!.toUpperCase()}${proof.allocation.do.slice(1)}.`
            : 'Its sheet does not say how. Give one workload a stated share, let it touch all of it, and watch what the machine says is used.'
        }}
        {{ proof.allocation?.needs ? `It needs ${proof.allocation.needs}.` : '' }}
        {{
          proof.allocation?.sharing_hides === false
            ? 'It shares no pages: what is used shows.'
            : proof.allocation?.sharing_hides
              ? 'It shares or compresses pages, which hides the truth: fill the share with random bytes.'
              : 'Whether it shares pages is not told: fill the share with random bytes.'
        }}<template v-for="n in proof.os_notes" :key="n"> {{ n }}</template>
      </p>
      <label>Share given [GB] <input v-model="allocation.share" type="number" min="0.01" step="any" required /></label>
      <label>Used, as seen [GB] <input v-model="allocation.used" type="number" min="0" step="any" required /></label>
      <label class="wide">How <input v-model="allocation.text" maxlength="2000" /></label>
      <div class="choices"><button class="press slim" type="submit" :disabled="busy">Keep the trial</button></div>
    </form>
    <form v-else-if="form === 'proposal'" class="fields moves" @submit.prevent="keepProposal">
      <p class="faded small">
        The machine says where modules should be instead. Where that contradicts its sheet, the clause is marked
        doubtful in every plan that uses it.
      </p>
      <div v-for="(m, i) in moves" :key="i" class="move">
        <label
          >Module from
          <select v-model="m.from" required>
            <option v-for="s in slots" :key="s.id" :value="s.id">{{ s.printed }}</option>
          </select></label
        >
        <label
          >to
          <select v-model="m.to" required>
            <option v-for="s in slots" :key="s.id" :value="s.id">{{ s.printed }}</option>
          </select></label
        >
      </div>
      <div class="choices">
        <button type="button" class="quiet-link" @click="moves.push({ from: '', to: '' })">One more move</button
        ><button class="press slim" type="submit" :disabled="busy">Keep the proposal</button>
      </div>
    </form>
    <form
      v-else-if="form === 'changed'"
      class="fields grid"
      aria-label="A module was handled"
      @submit.prevent="keepChanged">
      <p class="faded small wide">
        A module that was drawn, pushed or changed beside the run sheet: what was seen, tested and counted before is of
        another machine. Its channel soaks anew.
      </p>
      <label
        >Slots
        <select v-model="changed.slots" multiple required size="6">
          <option v-for="s in slots" :key="s.id" :value="s.id">{{ s.printed }}</option>
        </select></label
      >
      <label>What was done <input v-model="changed.text" maxlength="2000" /></label>
      <label class="check"
        ><input v-model="changed.rate" type="checkbox" /> The rate or supply changed with it: the whole socket soaks
        anew</label
      >
      <div class="choices">
        <button class="press slim" type="submit" :disabled="busy || !changed.slots.length">Keep it</button>
      </div>
    </form>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <ul class="lines small">
      <li v-for="t in proof.tests" :key="t.id">
        <SeverityMark :severity="t.stale || t.withdrawn ? 'note' : t.errors ? 'stop' : t.clean ? 'go' : 'ask'" />{{
          ' '
        }}
        <b>{{ t.tool }}</b> {{ t.passes }} {{ t.passes === 1 ? 'pass' : 'passes' }}, {{ t.errors }}
        {{ t.errors === 1 ? 'error' : 'errors' }}
        <template v-if="t.tested_gib !== null">over {{ gb(t.tested_gib) }} GB </template
        ><span v-if="t.stale" class="faded">from before modules were handled</span
        ><span v-if="t.withdrawn" class="faded">taken back: {{ t.withdrawn }}</span
        >{{ ' ' }}
        <a
          v-if="t.has_log"
          class="quiet-link"
          :href="`/api/runs/${runId}/attachments/${t.id}`"
          target="_blank"
          rel="noopener"
          >log</a
        >{{ ' ' }}
        <span class="faded"
          >{{ t.by }}, {{ age(t.at) }}<template v-if="t.because.length">; “{{ t.because.at(-1) }}”</template></span
        >
        <button
          v-if="active && !t.stale && !t.withdrawn && withdrawing?.test !== t.id"
          type="button"
          class="quiet-link"
          @click="withdrawing = { test: t.id, text: '' }">
          Take it back
        </button>
        <form v-if="withdrawing?.test === t.id" class="fields" @submit.prevent="takeBack">
          <label
            >Why it counts no more
            <input
              v-model="withdrawing.text"
              required
              maxlength="2000"
              placeholder="typed wrong, another machine's" /></label
          >{{ ' ' }} <button class="press slim" type="submit" :disabled="busy">Take it back</button>{{ ' ' }}
          <button type="button" class="quiet-link" @click="withdrawing = null">Leave it</button>
        </form>
      </li>
      <li v-if="proof.cleared !== null">
        <SeverityMark :severity="proof.cleared ? 'stop' : 'go'" /> <b>Alerts and lights cleared</b>
        {{ proof.cleared ? `came back: ${proof.cleared}` : 'and nothing came back' }}
      </li>
      <li v-for="(a, i) in proof.alerts" :key="`a${i}`">
        <SeverityMark :severity="a.expected === true ? 'note' : a.expected === false ? 'stop' : 'ask'" /> <b>Alert</b>
        {{ a.text }}
        <span class="faded">{{
          a.expected === true
            ? 'expected: its parts are not on its maker’s list'
            : a.expected === false
              ? 'not expected'
              : 'nothing tells whether it is expected'
        }}</span>
      </li>
      <li v-for="(a, i) in proof.allocations" :key="`t${i}`">
        <SeverityMark :severity="a.given ? 'go' : 'stop'" /> <b>Allocation trial</b> {{ a.used_gib }} of
        {{ a.share_gib }} GB really used <span class="faded">{{ a.text }}</span>
      </li>
      <li v-for="(p, i) in proof.proposals" :key="`p${i}`">
        <SeverityMark :severity="p.contradicts.length ? 'risk' : 'note'" /> <b>It proposes</b> {{ moved(p.moves) }}
        <span class="faded">{{
          p.contradicts.length ? `contradicts ${p.contradicts.join('; ')}` : 'its sheet has nothing against that'
        }}</span>
      </li>
      <li v-if="!proof.tests.length && !proof.alerts.length && proof.cleared === null" class="faded">
        Nothing entered yet: a memory test, what the lights and logs say after clearing them, how much a workload really
        gets.
      </li>
    </ul>
  </section>
</template>

<style scoped>
.evidence {
  padding: 10px 16px 12px;
}
.head,
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: baseline;
}
.head {
  justify-content: space-between;
}
form {
  margin: 10px 0;
}
.grid p.wide {
  grid-column: 1 / -1;
  margin: 0;
}
.moves {
  display: grid;
  gap: 8px;
}
.moves p {
  margin: 0;
}
.move {
  display: grid;
  grid-template-columns: 180px 180px;
  gap: 12px;
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 14px;
  align-items: center;
}
.lines .quiet-link {
  margin-left: 8px;
}
.lines {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  display: grid;
  gap: 4px;
}
</style>

<script setup lang="ts">
/** What a new report says beside what is known: slot by slot, field by field, to take over all or some. */
import KindFound from '@/intake/KindFound.vue'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type Difference, type Intake, type MachineView, type SlotDifference } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import { gb } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { oddities, plural } from '@/ui/words'
import { moduleWords } from '@/board/state'
import { byWeight, CHANGES, memberWords, occupantWords, valueWords } from './words'

const props = defineProps<{ machine: MachineView; intake: Intake }>()
const emit = defineEmits<{
  taken: [intake: Intake]
  saved: [machine: MachineView]
  leave: []
  point: [slot: string | null]
}>()
const found = shallowRef<Difference>()
/** Report -> slot, for those whose names do not tell. */
const told = ref<Record<number, string>>({})
const taken = ref(new Set<string>())
const facts = ref(new Set<string>())
const wrong = ref('')

const reports = computed(() =>
  Object.fromEntries(
    Object.entries(told.value)
      .filter(([, slot]) => slot)
      .map(([index, slot]) => [slot, Number(index)]),
  ),
)

const load = oneAtATime(async () => {
  try {
    const params = { path: { machine_id: props.machine.id } }
    const difference = await ask(
      api.POST('/api/machines/{machine_id}/difference', {
        params,
        body: { intake_id: props.intake.id, reports: reports.value },
      }),
    )
    // What only adds is taken over unless one says no; what contradicts is one's own to decide, and so is all of another machine's
    // report. What one has decided stays so.
    const own = !difference.another
    const seen = new Set(found.value?.slots.map((d) => d.slot))
    const seenFacts = new Set(found.value?.facts.map((f) => f.fact))
    const adds = difference.slots.filter((d) =>
      seen.has(d.slot) ? taken.value.has(d.slot) : own && (d.change === 'fills-in' || d.change === 'comes'),
    )
    const tells = difference.facts.filter((f) =>
      seenFacts.has(f.fact) ? facts.value.has(f.fact) : own && (f.fact === 'firmware' || f.known === null),
    )
    found.value = difference
    taken.value = new Set(adds.map((d) => d.slot))
    facts.value = new Set(tells.map((f) => f.fact))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
onMounted(load)
watch(told, load, { deep: true })

/** Reports whose slot is to be said: what tells nothing of its slot is not asked for. */
const unplaced = computed(() =>
  (found.value?.unplaced ?? []).filter((u) => props.intake.reading.slots[u.index]?.state !== 'unknown'),
)
const saysOf = (index: number) => {
  const slot = props.intake.reading.slots[index]
  return slot?.module ? moduleWords(slot.module) : (slot?.state ?? '')
}
/** Nothing in it is of any slot or fact of this machine, so far. */
const isOfNothing = computed(
  () =>
    !!found.value &&
    !rows.value.length &&
    !agreed.value &&
    !factRows.value.length &&
    !totals.value &&
    !props.intake.reading.arrays.some((a) => a.max_gib),
)
const printed = (id: string) => props.machine.board.slots.find((s) => s.id === id)?.printed ?? id
const ORDER: SlotDifference['change'][] = ['differs', 'goes', 'comes', 'fills-in', 'untold']
const rows = computed(() =>
  [...(found.value?.slots ?? [])]
    .filter((d) => d.change !== 'same')
    .sort((a, b) => ORDER.indexOf(a.change) - ORDER.indexOf(b.change)),
)
/** Slots whose report only adds the same members: told in one line, opened on request. */
const MANY = 4
const opened = ref(new Set<string>())
const groups = computed(() => {
  const alike = new Map<string, SlotDifference[]>()
  for (const d of rows.value)
    if (d.change === 'fills-in' || d.change === 'untold')
      alike.set(`${d.change} ${d.learnt.join()}`, [...(alike.get(`${d.change} ${d.learnt.join()}`) ?? []), d])
  return [...alike]
    .filter(([key, some]) => some.length > MANY && !opened.value.has(key))
    .map(([key, some]) => ({ key, some, slots: some.map((d) => d.slot) }))
})
const single = computed(() => {
  const grouped = new Set(groups.value.flatMap((g) => g.slots))
  return rows.value.filter((d) => !grouped.has(d.slot))
})
function takeGroup(slots: string[], take: boolean): void {
  const next = new Set(taken.value)
  for (const s of slots)
    if (take) next.add(s)
    else next.delete(s)
  taken.value = next
}
/** Of another machine's report: what its number is of this one. Nothing of it is kept until that is said. */
const ours = computed<'serial' | 'other_serials' | null>({
  get: () => (facts.value.has('serial') ? 'serial' : facts.value.has('other_serials') ? 'other_serials' : null),
  set: (as) => (facts.value = new Set([...[...facts.value].filter((f) => !NUMBERS.includes(f)), ...(as ? [as] : [])])),
})
const NUMBERS = ['serial', 'other_serials']
const factRows = computed(() =>
  (found.value?.facts ?? []).filter((f) => !found.value?.another || !NUMBERS.includes(f.fact)),
)
const totals = computed(() => {
  const { installed_gib: installed, usable_gib: usable } = props.intake.reading
  return [installed ? `${gb(installed)} GB installed` : '', usable ? `${gb(usable)} GB usable` : '']
    .filter(Boolean)
    .join(', ')
})
const agreed = computed(() => (found.value?.slots ?? []).filter((d) => d.change === 'same').length)
const disputes = computed(
  () => rows.value.filter((d) => ['differs', 'goes', 'comes'].includes(d.change) && !taken.value.has(d.slot)).length,
)

function toggled(set: Set<string>, key: string): Set<string> {
  const next = new Set(set)
  if (!next.delete(key)) next.add(key)
  return next
}
function takeAll(all: boolean): void {
  taken.value = new Set(all ? rows.value.filter((d) => d.change !== 'untold').map((d) => d.slot) : [])
  const numbered = ours.value
  facts.value = new Set(all ? factRows.value.map((f) => f.fact) : [])
  if (found.value?.another) ours.value = numbered
}
const factWords = (fact: string) =>
  fact.startsWith('processors.')
    ? `processor in ${fact.slice(11)}`
    : fact.startsWith('bays.')
      ? `drive in bay ${fact.slice(5)}`
      : fact === 'serial'
        ? 'serial number'
        : fact

async function accept(): Promise<void> {
  wrong.value = ''
  try {
    const params = { path: { machine_id: props.machine.id } }
    const body = {
      intake_id: props.intake.id,
      revision: found.value!.revision,
      reports: reports.value,
      slots: [...taken.value],
      facts: [...facts.value],
    }
    emit('saved', await ask(api.POST('/api/machines/{machine_id}/acceptance', { params, body })))
  } catch (error) {
    wrong.value = wordsOf(error)
    await load()
  }
}
</script>

<template>
  <section class="panel difference" aria-labelledby="difference-title">
    <div class="head">
      <h2 id="difference-title">What {{ intake.source_name }} says</h2>
      <template v-if="!intake.reading.virtual">
        <button type="button" class="quiet-link" @click="takeAll(true)">Take all</button>
        <button type="button" class="quiet-link" @click="takeAll(false)">Take none</button>
      </template>
    </div>
    <KindFound :intake="intake" @taken="emit('taken', $event)" />
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="intake.reading.virtual" class="another" role="alert">
      <SeverityMark severity="stop" />
      <span
        ><b>This is a virtual machine's report</b>: its slots and totals are what its host gives it. Cancel, and ask the
        host itself.</span
      >
    </p>
    <div v-if="found?.another" class="another" role="alert">
      <SeverityMark severity="stop" />
      <div>
        <b>This is another machine's report</b>: it says serial number
        <span class="mono">{{ found.another.serial }}</span><template v-if="found.another.name"
          >, which is {{ found.another.name }}'s</template
        ><template v-if="found.calls_itself"> and {{ found.calls_itself }}</template
        >; {{ machine.name }} has
        <span v-if="machine.about.serial" class="mono">{{ machine.about.serial }}</span><template v-else
          >none that is known</template
        >. Cancel, unless
        <label
          ><input v-model="ours" type="radio" value="serial" name="ours" /> that is {{ machine.name }}'s own: its board
          was changed, or its number was noted wrong</label
        >
        <label v-if="found.facts.some((f) => f.fact === 'other_serials')"
          ><input v-model="ours" type="radio" value="other_serials" name="ours" /> {{ machine.name }} reports that one
          too: its controller or its board has a number of its own</label
        >
      </div>
    </div>
    <p v-else-if="found?.calls_itself" class="another" role="status">
      <SeverityMark severity="ask" />
      <span
        >It calls itself <b>{{ found.calls_itself }}</b>, and is kept here as {{ machine.sheet_title }}.</span
      >
    </p>
    <p v-if="totals" class="small">
      In all it tells {{ totals }}<span class="faded">; kept beside what the slots come to</span>.
    </p>
    <div v-if="intake.reading.virtual" class="choices">
      <button type="button" class="press" @click="$emit('leave')">Cancel</button>
    </div>
    <ul v-else-if="intake.reading.warnings.length" class="oddities small">
      <li v-for="w in oddities(intake.reading.warnings)" :key="w.message">
        <b>{{ w.where }}</b> {{ w.message }}
      </li>
    </ul>
    <template v-if="found && !intake.reading.virtual">
      <ul v-if="unplaced.length" class="unplaced" aria-label="Reports without a slot">
        <li v-for="u in unplaced" :key="u.index">
          <label
            ><span class="mono">{{ u.locator }}</span> <span class="faded">{{ u.bank }}</span>{{ ' ' }}
            <b>{{ saysOf(u.index) }}</b> is
            <select v-model="told[u.index]" :aria-label="`Slot of ${u.locator}`">
              <option :value="undefined">no slot that is known</option>
              <option v-for="s in found.unreported" :key="s" :value="s">{{ printed(s) }}</option>
            </select></label
          >
        </li>
      </ul>
      <table v-if="rows.length || factRows.length">
        <thead>
          <tr>
            <th scope="col"><span class="visually-hidden">take over</span></th>
            <th scope="col">slot</th>
            <th scope="col">known</th>
            <th scope="col">reported</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in factRows" :key="f.fact">
            <td>
              <input
                type="checkbox"
                :checked="facts.has(f.fact)"
                :aria-label="`Take over the ${factWords(f.fact)}`"
                @change="facts = toggled(facts, f.fact)" />
            </td>
            <th scope="row">{{ factWords(f.fact) }}</th>
            <td>{{ f.known ?? 'not known' }}</td>
            <td>{{ f.reported }}</td>
          </tr>
          <tr v-for="g in groups" :key="g.key">
            <td>
              <input
                v-if="g.some[0]!.change !== 'untold'"
                type="checkbox"
                :checked="g.slots.every((x) => taken.has(x))"
                :aria-label="`Take over ${g.slots.length} slots`"
                @change="takeGroup(g.slots, ($event.target as HTMLInputElement).checked)" />
            </td>
            <th scope="row">
              {{ g.slots.length }} slots
              <span class="change">{{ CHANGES[g.some[0]!.change] }}</span>
            </th>
            <td colspan="2">
              <template v-if="g.some[0]!.learnt.length"
                >the same modules; it tells {{ g.some[0]!.learnt.map(memberWords).join(', ') }}</template
              >
              <button type="button" class="quiet-link" @click="opened = new Set([...opened, g.key])">one by one</button>
            </td>
          </tr>
          <tr
            v-for="d in single"
            :key="d.slot"
            :class="`is-${d.change}`"
            @pointerenter="$emit('point', d.slot)"
            @pointerleave="$emit('point', null)"
            @focusin="$emit('point', d.slot)">
            <td>
              <input
                v-if="d.change !== 'untold'"
                type="checkbox"
                :checked="taken.has(d.slot)"
                :aria-label="`Take over ${printed(d.slot)}`"
                @change="taken = toggled(taken, d.slot)" />
            </td>
            <th scope="row">
              <span class="mono">{{ printed(d.slot) }}</span>
              <span class="change">{{ CHANGES[d.change] }}</span>
            </th>
            <td>{{ occupantWords(d.known) }}</td>
            <td>
              {{ occupantWords(d.reported) }}
              <ul v-if="d.members.length" class="members">
                <li v-for="m in byWeight(d.members)" :key="m.member">
                  {{ memberWords(m.member) }}: <s>{{ valueWords(m.known) }}</s> {{ valueWords(m.reported) }}
                </li>
              </ul>
              <span v-else-if="d.learnt.length" class="faded small"
                >tells {{ d.learnt.map(memberWords).join(', ') }}</span
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p class="small faded">
        {{ agreed ? `${plural(agreed, 'slot agrees', 'slots agree')}. ` : ''
        }}{{
          found.unreported.length
            ? `${plural(found.unreported.length, 'slot is not reported and stays', 'slots are not reported and stay')} as known. `
            : ''
        }}
        <template v-if="disputes"
          >{{
            plural(disputes, 'slot that differs and is not taken stays', 'slots that differ and are not taken stay')
          }}
          visible as disputed.</template
        >
      </p>
      <div class="choices">
        <button type="button" class="press quiet" @click="$emit('leave')">Cancel</button>
        <button type="button" class="press" :disabled="(!!found.another && !ours) || isOfNothing" @click="accept">
          Keep this survey
        </button>
        <p v-if="isOfNothing" class="small faded">
          {{ unplaced.length ? 'Say first which slot each is.' : 'It tells nothing of this machine’s slots.' }}
        </p>
      </div>
    </template>
  </section>
</template>

<style scoped>
.difference {
  padding: 12px 18px 16px;
  overflow: auto;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
}
.head .quiet-link:first-of-type {
  margin-left: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
thead th {
  font-weight: 400;
  color: var(--faded);
  font-size: 13px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 5px 12px 5px 0;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.change {
  display: block;
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
}
.is-differs .change,
.is-goes .change {
  color: var(--risk);
  font-weight: 650;
}
.members {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
  font-size: 13px;
  font-weight: 600;
}
.members s {
  font-weight: 400;
  color: var(--faded);
}
input {
  accent-color: var(--umber);
}
.unplaced {
  list-style: none;
  margin: 8px 0;
  padding: 6px 0;
  border: solid var(--ask);
  border-width: 1px 0;
}
.unplaced select {
  padding: 2px 4px;
  margin: 2px 0;
  border: 1px solid var(--module-edge);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
}
.another {
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 6px 0;
  border: solid var(--rule);
  border-width: 1px 0;
  font-size: 14px;
}
.another label {
  display: flex;
  gap: 6px;
  align-items: baseline;
  padding-top: 4px;
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
}
th[scope='row'] {
  white-space: nowrap;
}
.oddities {
  margin: 4px 0;
  padding-left: 18px;
  max-height: 110px;
  overflow: auto;
  color: var(--slow);
}
p {
  margin: 4px 0;
}
</style>

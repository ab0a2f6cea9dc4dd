<script setup lang="ts">
/** Saying what is known, once: a limit that somebody states, that so much was tried and how it went, or both. */
import { computed } from 'vue'
import { api, ask, type CeilingView, type MachineView } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { numberIn, useForm } from '@/ui/form'
import { OUTCOMES } from '@/notes/words'
import { KIND_WORDS } from './words'

const props = defineProps<{ machine: MachineView; view: CeilingView }>()
const emit = defineEmits<{ saved: [view: CeilingView]; leave: [] }>()
const today = new Date().toISOString().slice(0, 10)
const {
  values: form,
  faults,
  wrong,
  sending,
  submit: save,
} = useForm(
  {
    what: 'limit',
    amount: '',
    unit: 'capacity_gib',
    scope: 'machine',
    where: '',
    title: '',
    kind: 'named',
    date: '',
    first: '',
    until: '',
    of: 'firmware',
    official: false,
    hard: false,
    replaces: '',
    of_model: false,
    total: '',
    outcome: 'fine',
    label: '',
    soak: '',
    firmware: '',
    on: today,
  },
  async (f) => {
    const statement = f.what === 'tried' ? null : stated(f)
    const tried = f.what === 'limit' ? null : await triedOf(f)
    const params = { path: { machine_id: props.machine.id } }
    emit(
      'saved',
      await ask(
        api.POST('/api/machines/{machine_id}/statements', {
          params,
          body: { statement: statement as never, of_model: f.of_model, tried },
        }),
      ),
    )
  },
  {
    capacity_gib: 'amount',
    die_gbit: 'amount',
    package_ranks: 'amount',
    total_gib: 'total',
    soak_days: 'soak',
    tried_on: 'on',
    module: 'label',
    part: 'label',
    source: 'title',
  },
)
type Values = typeof form

function stated(f: Values) {
  const span =
    f.first.trim() || f.until.trim() ? { [f.of]: { from: f.first.trim() || null, until: f.until.trim() || null } } : {}
  return {
    scope: f.unit === 'capacity_gib' ? f.scope : f.unit === 'die_gbit' ? 'die' : 'channel',
    where: f.unit === 'capacity_gib' ? f.where || null : null,
    [f.unit]: numberIn('amount', f.amount),
    official: f.official,
    hard: f.hard,
    replaces: f.replaces ? [f.replaces] : [],
    source: { title: f.title.trim(), kind: f.kind, date: f.date || null },
    ...span,
  }
}
async function triedOf(f: Values) {
  const label = f.label.trim()
  const module = label ? (await ask(api.POST('/api/label', { body: { text: label } }))).module : null
  return {
    outcome: f.outcome as 'fine',
    who: f.kind as 'named',
    tried_on: f.on,
    total_gib: numberIn('total', f.total),
    part: module?.part ?? (module?.capacity_gib ? null : label || null),
    module: (module?.capacity_gib ? module : null) as never,
    soak_days: numberIn('soak', f.soak) ?? 0,
    firmware: f.firmware.trim() || null,
    source: f.title.trim(),
    note: '',
  }
}

const places = computed(() => {
  const { sockets, channels, slots } = props.machine.board
  const controllers = [...new Set(channels.map((c) => c.controller).filter((c) => c !== null))]
  return (
    {
      socket: sockets.map((s) => s.id),
      controller: controllers,
      channel: channels.map((c) => c.id),
      slot: slots.map((s) => s.id),
    }[form.scope] ?? []
  )
})
const replaceable = computed(() =>
  props.view.statements.filter((s) => s.origin === 'sheet' || s.origin === 'processor'),
)
</script>

<template>
  <form class="fields statement" aria-label="Say what is known" @submit.prevent="save">
    <div class="grid">
      <label class="wide"
        >Who says so, and where
        <input
          v-model="form.title"
          required
          maxlength="120"
          placeholder="the maker's support, mail of 3 March; a thread" /><FieldFault :of="faults" name="title"
      /></label>
      <label>
        That is
        <select v-model="form.kind">
          <option v-for="(words, k) in KIND_WORDS" :key="k" :value="k">{{ words }}</option>
        </select>
      </label>
      <label>
        They say
        <select v-model="form.what">
          <option value="limit">how much it may hold</option>
          <option value="tried">that something was tried</option>
          <option value="both">both</option>
        </select>
      </label>
    </div>
    <fieldset v-if="form.what !== 'tried'">
      <legend>The limit</legend>
      <div class="grid">
        <label
          >It says <input v-model="form.amount" required inputmode="decimal" placeholder="64" /><FieldFault
            :of="faults"
            name="amount"
        /></label>
        <label>
          of
          <select v-model="form.unit">
            <option value="capacity_gib">GB</option>
            <option value="die_gbit">Gbit a die</option>
            <option value="package_ranks">package ranks a channel</option>
          </select>
        </label>
        <label v-if="form.unit === 'capacity_gib'">
          in
          <select v-model="form.scope">
            <option value="machine">the machine</option>
            <option value="socket">each socket</option>
            <option v-if="machine.board.channels.some((c) => c.controller)" value="controller">each controller</option>
            <option value="channel">each channel</option>
            <option value="slot">each slot</option>
          </select>
        </label>
        <label v-if="form.unit === 'capacity_gib' && places.length">
          or only
          <select v-model="form.where">
            <option value="">each of them</option>
            <option v-for="p in places" :key="p" :value="p">{{ p }}</option>
          </select>
        </label>
        <label>Dated <input v-model="form.date" type="date" /></label>
        <label>
          Holds for
          <select v-model="form.of">
            <option value="firmware">firmware</option>
            <option value="system">system</option>
          </select>
        </label>
        <label>from <input v-model="form.first" maxlength="120" placeholder="any" /></label>
        <label>before <input v-model="form.until" maxlength="120" placeholder="any" /></label>
        <label>
          Replaces
          <select v-model="form.replaces">
            <option value="">nothing</option>
            <option v-for="s in replaceable" :key="s.id" :value="s.id">
              {{ s.source.title }}: {{ s.amount }} {{ s.unit }}
            </option>
          </select>
        </label>
      </div>
      <div class="checks">
        <label class="check"
          ><input v-model="form.official" type="checkbox" /> official: the maker vouches for it</label
        >
        <label class="check"><input v-model="form.hard" type="checkbox" /> hard: past it the machine cannot work</label>
        <label class="check"
          ><input v-model="form.of_model" type="checkbox" /> of every {{ machine.sheet_title }}, not of this one
          alone</label
        >
      </div>
    </fieldset>
    <fieldset v-if="form.what !== 'limit'">
      <legend>What was tried: {{ machine.sheet_title }}</legend>
      <div class="grid">
        <label>
          It was
          <select v-model="form.outcome">
            <option v-for="(words, key) in OUTCOMES" :key="key" :value="key">{{ words }}</option>
          </select>
        </label>
        <label
          >In all [GB]
          <input v-model="form.total" inputmode="decimal" placeholder="64" :required="!form.label.trim()" /><FieldFault
            :of="faults"
            name="total"
        /></label>
        <label class="wide"
          >Module, by its label or part <input v-model="form.label" class="mono" maxlength="400" /><FieldFault
            :of="faults"
            name="label"
        /></label>
        <label
          >On <input v-model="form.on" type="date" required :max="today" /><FieldFault :of="faults" name="on"
        /></label>
        <label
          >Ran for [days] <input v-model="form.soak" inputmode="decimal" placeholder="0" /><FieldFault
            :of="faults"
            name="soak"
        /></label>
        <label>With firmware <input v-model="form.firmware" maxlength="200" placeholder="not known" /></label>
      </div>
    </fieldset>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="choices">
      <button type="button" class="quiet-link" @click="$emit('leave')">Cancel</button>
      <button class="press" type="submit" :disabled="sending">Keep it</button>
    </div>
  </form>
</template>

<style scoped>
.statement {
  display: grid;
  gap: 8px;
  padding: 10px 0;
  border-top: 1px solid var(--rule);
}
fieldset {
  border: 0;
  margin: 0;
  padding: 8px 0 0;
  border-top: 1px solid var(--rule);
  display: grid;
  gap: 8px;
}
legend {
  float: left;
  font-weight: 650;
}
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 8px 12px;
}
.wide {
  grid-column: span 2;
}
.checks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
}
.choices {
  display: flex;
  justify-content: flex-end;
  align-items: center;
  gap: 12px;
}
p {
  margin: 0;
}
</style>

<script setup lang="ts">
/** One machine of a round: what is done with it, and what somebody wants of it whatever it costs. */
import { computed, ref } from 'vue'
import { wordsOf, type Round } from '@/api/client'
import { amountIn } from '@/ui/form'
import TextAnswer from '@/ui/TextAnswer.vue'
import { percent, PLAN_STATES, dayWords, fromWords, type Asked, type Proposal, type Row } from './words'

const props = defineProps<{
  row: Row
  proposal: Proposal
  asked: Asked
  waves: Asked['waves']
  plan?: Round['plans'][number]
  mayWrite: boolean
}>()
const emit = defineEmits<{ change: [asked: Asked]; close: [] }>()
const pin = computed(() => props.asked.pins?.[props.row.machine_id])
const closed = computed(() => new Set(props.asked.closed?.[props.row.machine_id] ?? []))
const need = computed(() => props.asked.needs?.[props.row.machine_id])

function pinTo(changes: { day?: string | null; route?: string | null; out?: boolean } | null): void {
  const pins = { ...props.asked.pins }
  if (changes === null) delete pins[props.row.machine_id]
  else
    pins[props.row.machine_id] = changes.out
      ? { out: true }
      : { day: pin.value?.day ?? null, route: pin.value?.route ?? null, ...changes, out: false }
  emit('change', { ...props.asked, pins })
}
function toggle(day: string): void {
  const days = closed.value.has(day) ? [...closed.value].filter((d) => d !== day) : [...closed.value, day]
  const pins = { ...props.asked.pins }
  if (pin.value?.day === day) delete pins[props.row.machine_id]
  emit('change', { ...props.asked, pins, closed: { ...props.asked.closed, [props.row.machine_id]: days } })
}
const fault = ref('')
function setNeed(text: string): void {
  fault.value = ''
  const needs = { ...props.asked.needs }
  try {
    if (text.trim()) needs[props.row.machine_id] = amountIn('need', text)
    else delete needs[props.row.machine_id]
    emit('change', { ...props.asked, needs })
  } catch (error) {
    fault.value = `GB usable: ${wordsOf(error)}`
  }
}
</script>

<template>
  <section class="panel one" :aria-label="row.machine">
    <div class="caption">
      <h2>
        {{ row.machine }}
        <span class="faded small">{{ row.model }}{{ row.group ? `, duty group ${row.group}` : '' }}</span>
      </h2>
      <span>
        <router-link class="quiet-link" :to="`/machines/${row.machine_id}/survey`">The machine</router-link>
        <router-link v-if="plan" class="quiet-link" :to="`/machines/${row.machine_id}/fit?plan=${plan.plan_id}`"
          >Its plan, {{ PLAN_STATES[plan.state].words }}{{ plan.missed ? ', its wave missed' : '' }}</router-link
        >
        <button type="button" class="quiet-link" @click="$emit('close')">Close</button>
      </span>
    </div>
    <p v-if="row.served">
      {{ dayWords(row.served.day) }}: <b>{{ row.served.puts_in || 'what is there, otherwise placed' }}</b><template
        v-if="row.served.takes_out"
        >, out {{ row.served.takes_out }}</template
      >; {{ fromWords(proposal, row) }}. {{ row.served.hours }} h at the most,
      {{ percent(row.served.trouble) }} trouble{{ row.served.in_warranty ? ', the maker stands behind it' : '' }}.
    </p>
    <p v-else>{{ row.why }}.</p>
    <div v-if="mayWrite" class="fields">
      <label
        >It is to have, GB usable
        <TextAnswer
          :value="need === undefined ? '' : String(need)"
          inputmode="decimal"
          label="It is to have, GB usable"
          :most="20"
          :placeholder="row.need_gib ? `its need, ${Math.ceil(row.need_gib)}` : 'nobody said'"
          @said="setNeed" />{{ ' ' }} <span v-if="fault" class="wrong small" role="alert">{{ fault }}</span></label
      >
      <label
        >Route
        <select
          :value="pin?.route ?? ''"
          :disabled="!row.ways.length"
          @change="pinTo({ route: ($event.target as HTMLSelectElement).value || null })">
          <option value="">whichever is best</option>
          <option v-for="w in row.ways" :key="w">{{ w }}</option>
        </select>
      </label>
      <fieldset>
        <legend class="small">Waves</legend>
        <span v-for="(w, i) in waves" :key="w.day" class="wave">
          <button
            type="button"
            class="press slim"
            :class="{ quiet: pin?.day !== w.day }"
            :disabled="closed.has(w.day)"
            :aria-pressed="pin?.day === w.day"
            @click="pinTo(pin?.day === w.day && !pin?.route ? null : { day: pin?.day === w.day ? null : w.day })">
            {{ pin?.day === w.day ? 'Pinned to' : 'Pin to' }} {{ i + 1 }}
          </button>
          <label class="small"
            ><input type="checkbox" :checked="!closed.has(w.day)" @change="toggle(w.day)" /> open to it</label
          >
        </span>
        <button
          type="button"
          class="press slim"
          :class="{ quiet: !pin?.out }"
          :aria-pressed="pin?.out ?? false"
          @click="pinTo(pin?.out ? null : { out: true })">
          Leave it as it is
        </button>
        <button v-if="pin" type="button" class="quiet-link" @click="pinTo(null)">Take the pin out</button>
      </fieldset>
    </div>
  </section>
</template>

<style scoped>
.one {
  display: grid;
  gap: 8px;
  padding: 10px 16px 14px;
  background: var(--lit);
}
.caption,
.caption > span {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 4px 16px;
}
p {
  margin: 0;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 20px;
  align-items: end;
}
fieldset {
  border: 0;
  margin: 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
}
.wave {
  display: grid;
  gap: 4px;
}
.wave label {
  min-height: 26px;
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>

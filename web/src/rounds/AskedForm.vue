<script setup lang="ts">
/** What a round is asked: machines, waves, money. */
import { computed, reactive, ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type MachineLine } from '@/api/client'
import { counted } from '@/ui/figures'
import { plural } from '@/ui/words'
import type { Asked } from './words'

const props = defineProps<{ asked: Asked; name?: string; fresh?: boolean; fault: string }>()
const emit = defineEmits<{ save: [asked: Asked, name: string]; cancel: [] }>()

const form = reactive({
  name: props.name ?? '',
  machines: [...props.asked.machines],
  waves: props.asked.waves.map((w) => ({ ...w })),
  budget: props.asked.budget === null || props.asked.budget === undefined ? '' : String(props.asked.budget),
  short_gb: String(props.asked.short_gb),
  passing_on: props.asked.passing_on,
  keep_warranty: props.asked.keep_warranty,
  third_party: props.asked.third_party,
  lead_untold: props.asked.lead_untold,
  soak_days: props.asked.soak_days,
})
const text = ref('')
const found = shallowRef<MachineLine[]>([])
const total = ref(0)
const wrong = ref('')
let turn = 0
watch(
  text,
  async (q) => {
    const mine = ++turn
    try {
      const page = await ask(api.GET('/api/machines', { params: { query: { q } } }))
      if (mine === turn) [found.value, total.value, wrong.value] = [page.machines, page.total, '']
    } catch (error) {
      if (mine === turn) wrong.value = wordsOf(error)
    }
  },
  { immediate: true },
)
const lacking = computed(() =>
  [!form.machines.length && 'a machine', !form.waves.length && 'a wave, the day on which work is done'].filter(
    (x): x is string => !!x,
  ),
)
const picked = computed(() => new Set(form.machines))
function pick(id: string, on: boolean): void {
  form.machines = on ? [...form.machines, id] : form.machines.filter((m) => m !== id)
}
const addAll = () => (form.machines = [...new Set([...form.machines, ...found.value.map((m) => m.id)])])
function addWave(): void {
  const last = form.waves
    .map((w) => w.day)
    .sort()
    .at(-1)
  const next = new Date(`${last ?? new Date().toISOString().slice(0, 10)}T00:00:00Z`)
  next.setUTCDate(next.getUTCDate() + 7)
  form.waves.push({
    day: next.toISOString().slice(0, 10),
    hours: form.waves.at(-1)?.hours ?? 8,
    people: form.waves.at(-1)?.people ?? '',
  })
}
function save(): void {
  const days = new Set(form.waves.map((w) => w.day))
  const here = picked.value
  const kept = <T,>(of: Record<string, T> | undefined) =>
    Object.fromEntries(Object.entries(of ?? {}).filter(([id]) => here.has(id)))
  const pins = Object.fromEntries(Object.entries(kept(props.asked.pins)).filter(([, p]) => !p.day || days.has(p.day)))
  const { name, budget, ...rest } = form
  emit(
    'save',
    {
      ...props.asked,
      ...rest,
      waves: form.waves.map((w) => ({ ...w, hours: Number(w.hours) })),
      budget: budget.trim() || null,
      pins,
      closed: kept(props.asked.closed),
      needs: kept(props.asked.needs),
    },
    name,
  )
}
</script>

<template>
  <form class="panel asked" aria-label="What is asked" @submit.prevent="save">
    <div v-if="fresh" class="fields name">
      <label>Name <input v-model="form.name" maxlength="200" placeholder="the next number" /></label>
    </div>
    <fieldset>
      <legend>
        Machines <span class="faded">{{ form.machines.length }} picked</span>
      </legend>
      <div class="fields find">
        <label class="grow"
          ><span class="visually-hidden">Find machines</span
          ><input v-model="text" placeholder="name, place, group, model"
        /></label>
        <button type="button" class="quiet-link" :disabled="!found.length" @click="addAll">
          Pick all {{ found.length }} shown
        </button>
        <button v-if="form.machines.length" type="button" class="quiet-link" @click="form.machines = []">None</button>
      </div>
      <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
      <ul class="picks">
        <li v-for="m in found" :key="m.id">
          <label class="small"
            ><input
              type="checkbox"
              :checked="picked.has(m.id)"
              @change="pick(m.id, ($event.target as HTMLInputElement).checked)" />{{ ' ' }} <b>{{ m.name }}</b>
            {{ counted(m.summary.installed_gib, m.summary.known < m.summary.total) }} GB
            <span class="faded"
              >{{ m.sheet_title }}{{ m.about.duty_group ? `, ${m.about.duty_group}` : '' }}</span
            ></label
          >
        </li>
      </ul>
      <p v-if="total > found.length" class="small faded">
        {{ plural(total - found.length, 'machine') }} more: say more of the name, place, group or model.
      </p>
    </fieldset>
    <fieldset>
      <legend>Waves</legend>
      <div v-for="(w, i) in form.waves" :key="i" class="fields wave">
        <label>Day <input v-model="w.day" type="date" required /></label>
        <label
          >Hours of hands <input v-model.number="w.hours" type="number" min="0" max="10000" step="0.5" required
        /></label>
        <label class="grow">Who <input v-model="w.people" maxlength="200" /></label>
        <button
          type="button"
          class="quiet-link"
          :aria-label="`Take out the wave of ${w.day}`"
          @click="form.waves.splice(i, 1)">
          Take out
        </button>
      </div>
      <button type="button" class="quiet-link" @click="addWave">Add a wave</button>
    </fieldset>
    <fieldset class="rest">
      <legend>Money and modules</legend>
      <div class="fields">
        <label
          >At most, for modules <input v-model="form.budget" inputmode="decimal" placeholder="whatever it takes"
        /></label>
        <label>A GB that a machine lacks weighs <input v-model="form.short_gb" inputmode="decimal" required /></label>
        <label
          >Days, where a supplier does not say
          <input v-model.number="form.lead_untold" type="number" min="0" max="10000" required
        /></label>
        <label
          >Days that what came out stays its way back
          <input v-model.number="form.soak_days" type="number" min="0" max="36500" step="0.5" required
        /></label>
      </div>
      <label class="small"><input v-model="form.passing_on" type="checkbox" /> used modules may be passed on</label>
      <label class="small"
        ><input v-model="form.keep_warranty" type="checkbox" /> only what the makers stand behind</label
      >
      <label class="small"
        ><input v-model="form.third_party" type="checkbox" /> parts that the maker does not list</label
      >
    </fieldset>
    <p v-if="fault" class="wrong" role="alert">{{ fault }}</p>
    <div class="acts">
      <button type="submit" class="press" :disabled="!!lacking.length">
        {{ fresh ? 'Make the round' : 'Keep it so' }}
      </button>
      <button type="button" class="press quiet" @click="$emit('cancel')">Cancel</button>
      <p v-if="lacking.length" class="small faded">Still missing: {{ lacking.join('; ') }}.</p>
    </div>
  </form>
</template>

<style scoped>
.asked {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 14px 28px;
  padding: 14px 16px;
}
.name,
.wrong,
.acts,
.rest {
  grid-column: 1 / -1;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
  display: grid;
  gap: 6px;
  align-content: start;
}
legend {
  font-weight: 650;
  padding: 0;
  margin-bottom: 4px;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: end;
}
.grow {
  flex: 1 1 120px;
}
.wave input[type='number'] {
  width: 90px;
}
.picks {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 240px;
  overflow-y: auto;
  display: grid;
  gap: 3px;
}
.picks label,
.rest > label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  min-height: 26px;
}
p {
  margin: 0;
}
.acts {
  display: flex;
  gap: 12px;
  align-items: center;
}
@media (max-width: 900px) {
  .asked {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>

<script setup lang="ts">
/** A machine made by hand: its model, then what is in its slots, by label and board. */
import { computed, onMounted, reactive, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, ask, wordsOf, type Layout, type Module, type Occupant, type SheetRow, type SheetView } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { moduleWords } from '@/board/state'
import { useHand } from '@/stations/fit/hand'
import LabelEntry from '@/stations/fit/LabelEntry.vue'
import { aboutAsSent, aboutAsTyped } from './about'
import AboutFields from './AboutFields.vue'
import FieldFault from '@/ui/FieldFault.vue'
import { useForm } from '@/ui/form'
import { useTitle } from '@/ui/title'

useTitle(() => 'New machine by hand')

const router = useRouter()
const sheets = shallowRef<SheetRow[]>([])
const chosen = ref('')
const sheet = shallowRef<SheetView>()
const processors = reactive<Record<string, string>>({})
const slots = shallowRef<Layout>({})
const restEmpty = ref(true)
const wrong = ref('')
const board = ref<InstanceType<typeof BoardView>>()

onMounted(async () => {
  try {
    sheets.value = await ask(api.GET('/api/sheets'))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
watch(chosen, async (hash) => {
  slots.value = {}
  for (const s of Object.keys(processors)) delete processors[s]
  sheet.value = hash ? await ask(api.GET('/api/sheets/{hash_}', { params: { path: { hash_: hash } } })) : undefined
})
const models = computed(() => sheets.value.filter((s) => !s.archetype))
const archetypes = computed(() => sheets.value.filter((s) => s.archetype))
const choices = computed(() => sheet.value?.sockets.filter((s) => s.processors.length > 1 || s.may_be_absent) ?? [])
const goal = computed<Layout>(() => {
  const rest = restEmpty.value ? {} : Object.fromEntries((sheet.value?.board.slots ?? []).map((s) => [s.id, 'unknown' as const]))
  return { ...rest, ...slots.value }
})

const hand = useHand({
  targets: async () => [],
  drop: (held, slot) => set({ [slot]: held.module, ...(held.from && held.from !== slot ? { [held.from]: slots.value[slot] ?? null } : {}) }),
})
const { held, pointer } = hand

function set(changes: Record<string, Occupant | null>): void {
  const next = { ...slots.value }
  for (const [slot, occupant] of Object.entries(changes)) {
    if (occupant === null) delete next[slot]
    else next[slot] = occupant
  }
  slots.value = next
}
function take(module: Module): void {
  hand.take(module, null)
  board.value?.focus()
}
function enter(slot: string): void {
  const here = slots.value[slot]
  if (held.value) hand.put(slot)
  else if (here && here !== 'unknown') hand.take(here, slot)
}

const { values: about, faults, wrong: notMade, sending, submit: make } = useForm({ name: '', site: '', ...aboutAsTyped() }, async ({ name, site, ...typed }) => {
  const emptied = restEmpty.value ? Object.fromEntries((sheet.value?.board.slots ?? []).filter((s) => !slots.value[s.id]).map((s) => [s.id, null])) : {}
  const fitted = { ...emptied, ...slots.value } as never
  const said = Object.fromEntries(Object.entries(processors).filter(([, p]) => p).map(([s, p]) => [s, p === '-' ? null : p]))
  const body = { name, site, ...aboutAsSent(typed), sheet_hash: chosen.value, fitted, processors: said, slots: {}, zone: Intl.DateTimeFormat().resolvedOptions().timeZone }
  const made = await ask(api.POST('/api/machines', { body }))
  await router.push(`/machines/${made.id}/fit`)
})
</script>

<template>
  <div class="page hand">
    <header>
      <h1>New machine, by hand</h1>
      <router-link class="quiet-link" to="/machines/new">or from what it reports</router-link>
    </header>
    <form class="panel about" @submit.prevent="make">
      <label>Name <input v-model="about.name" required maxlength="120" /><FieldFault :of="faults" name="name" /></label>
      <label>
        Model
        <select v-model="chosen" required>
          <option value="" disabled>choose one</option>
          <optgroup label="models">
            <option v-for="s in models" :key="s.hash" :value="s.hash">{{ s.title }}</option>
          </optgroup>
          <optgroup label="architectures">
            <option v-for="s in archetypes" :key="s.hash" :value="s.hash">{{ s.title }}</option>
          </optgroup>
        </select>
      </label>
      <label v-for="s in choices" :key="s.id">
        Processor in {{ s.id }}
        <select v-model="processors[s.id]">
          <option :value="undefined">not known</option>
          <option v-for="p in s.processors" :key="p.id" :value="p.id">{{ p.title }}</option>
          <option v-if="s.may_be_absent" value="-">none</option>
        </select>
      </label>
      <label>Site <input v-model="about.site" maxlength="200" /></label>
      <AboutFields v-model="about" :faults="faults" first />
      <label class="check"><input v-model="restEmpty" type="checkbox" /> the other slots are empty</label>
      <p v-if="wrong || notMade" class="wrong" role="alert">{{ wrong || notMade }}</p>
      <button class="press" type="submit" :disabled="sending || !about.name.trim() || !chosen">Make it</button>
    </form>
    <section class="panel slots" aria-label="Slots">
      <template v-if="sheet">
        <LabelEntry @place="take" @grab="(module, event) => hand.press(event, module, null, () => take(module))" />
        <div class="picture">
          <BoardView
            ref="board"
            :board="sheet.board"
            :now="goal"
            :goal="goal"
            interactive
            @enter="enter"
            @remove="set({ [$event]: null })"
            @escape="hand.letGo()"
            @grab="(slot, event) => hand.press(event, slots[slot], slot, () => enter(slot))"
          />
        </div>
        <p class="small" role="status">
          <template v-if="held && !pointer">In hand: <strong>{{ moduleWords(held.module) }}</strong>; click each slot that holds one, Esc lets go.</template>
          <template v-else>Type a label and press Enter, then click the slots that hold such a module.</template>
        </p>
      </template>
      <p v-else class="none">Choose the model; its board comes up here to be filled.</p>
    </section>
    <div v-if="pointer && held" class="flying" :style="{ transform: `translate(${pointer.x + 10}px, ${pointer.y + 8}px)` }">{{ moduleWords(held.module) }}</div>
  </div>
</template>

<style scoped>
.hand {
  display: grid;
  grid-template: auto minmax(0, 1fr) / 300px minmax(0, 1fr);
  gap: 0 12px;
  min-height: 100vh;
}
header {
  grid-column: 1 / 3;
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding: 10px 4px 12px 8px;
}
.about {
  display: grid;
  gap: 10px;
  padding: 14px 18px 18px;
  align-content: start;
}
.about :deep(label) {
  display: grid;
  gap: 2px;
  font-size: 13px;
  color: var(--faded);
}
.about .check {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--ink);
}
.about :deep(input:not([type='checkbox'])),
.about select {
  height: 34px;
  padding: 0 10px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
  font-size: 15px;
  width: 100%;
  min-width: 0;
}
.about {
  min-width: 0;
}
.slots {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr) auto;
  gap: 8px;
  padding: 14px 18px;
  min-height: 420px;
}
.picture {
  min-height: 0;
}
.none {
  align-self: center;
  text-align: center;
  color: var(--faded);
}
.wrong {
  color: var(--stop);
  margin: 0;
}
.flying {
  position: fixed;
  left: 0;
  top: 0;
  z-index: 2500;
  pointer-events: none;
  padding: 4px 10px;
  background: var(--sheet);
  border: 1.25px solid var(--ink);
  box-shadow: 6px 6px 8px var(--shadow);
}
@media (max-width: 900px) {
  .hand {
    display: block;
  }
  .slots {
    margin-top: 12px;
  }
}
</style>

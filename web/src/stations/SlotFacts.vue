<script setup lang="ts">
/** What somebody sees in one slot, to put right: its label, that it is empty, not known, or its module at fault. */
import { computed, ref, watch } from 'vue'
import {
  api,
  ask,
  Unreachable,
  wordsOf,
  type BoardSlot,
  type MachineView,
  type Module,
  type ModuleOfPart,
} from '@/api/client'
import { moduleWords } from '@/board/state'
import { keepUnsent, unsent } from '@/frame/outbox'
import { moment } from '@/ui/words'
import LabelEntry from './fit/LabelEntry.vue'
import { partPath } from '@/shelf/parts'
import { KINDS, occupantWords } from './survey/words'

const props = defineProps<{ machine: MachineView; slot_: BoardSlot }>()
const emit = defineEmits<{ saved: [machine: MachineView]; leave: [] }>()
const wrong = ref('')
const told = ref('')
const here = computed(() => props.machine.slots[props.slot_.id])
const dispute = computed(() => props.machine.survey.disputed[props.slot_.id])
const source = computed(() => props.machine.survey.sources[props.slot_.id])
const failed = computed(() => props.machine.failed.includes(props.slot_.id))
const about = computed(() =>
  [
    props.slot_.landmark,
    props.slot_.facing,
    props.slot_.tab ? `${props.slot_.tab} tab` : null,
    props.slot_.position,
    props.slot_.locked ? 'opening ends the warranty' : null,
    props.slot_.behind.length ? `behind ${props.slot_.behind.join(', ')}` : null,
  ]
    .filter(Boolean)
    .join('; '),
)

/** What is known of its part number and open in it here. */
const ofPart = ref<ModuleOfPart | null>(null)
watch(
  here,
  async (held) => {
    ofPart.value = null
    if (!held || held === 'unknown' || !held.part) return
    try {
      const found = await ask(api.POST('/api/parts/beside', { body: { module: held as never } }))
      if (here.value === held) ofPart.value = found
    } catch {
      // the banner tells of a server that is away
    }
  },
  { immediate: true },
)

async function send(slots: Record<string, Module | string | null>, broken?: string[], byPart = false): Promise<void> {
  wrong.value = ''
  const body = {
    revision: props.machine.survey.revision,
    slots: slots as never,
    failed: broken ?? null,
    by_part: byPart,
  }
  try {
    const params = { path: { machine_id: props.machine.id } }
    emit('saved', await ask(api.POST('/api/machines/{machine_id}/surveys', { params, body })))
  } catch (error) {
    if (error instanceof Unreachable) await later(body)
    else wrong.value = wordsOf(error)
  }
}
/** Said at the rack without a connection: kept here, and sent as soon as there is one. */
async function later(body: { slots: Record<string, Module | string | null> }): Promise<void> {
  const { id, name, slots } = props.machine
  const said = Object.entries(body.slots).map(
    ([s, m]) =>
      `${props.machine.board.slots.find((x) => x.id === s)?.printed ?? s} ${m === null ? 'is empty' : m === 'unknown' ? 'not known' : typeof m === 'string' ? `says ${m}` : moduleWords(m)}`,
  )
  const words = `${name}: ${said.join(', ') || (failed.value ? `${props.slot_.printed} works` : `${props.slot_.printed} has failed`)}`
  await keepUnsent({
    method: 'POST',
    path: `/api/machines/${id}/surveys`,
    body,
    words,
    machine: id,
    seen: Object.fromEntries(Object.keys(body.slots).map((s) => [s, slots[s] ?? null])),
  })
}
const waiting = computed(() =>
  unsent.value.filter(
    (u) =>
      !u.refused && u.machine === props.machine.id && props.slot_.id in ((u.body.slots as object | undefined) ?? {}),
  ),
)
/** The SPD of the module in the slot, as its machine or a reader gives it: said at once what it is, and of what to be wary. */
async function readSpd(event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  if (!file) return
  wrong.value = told.value = ''
  try {
    const body = new FormData()
    body.append('file', file)
    const spd = await ask(api.POST('/api/spd', { body: body as never, bodySerializer: (b) => b as never }))
    const odd = spd.warnings.map((w) => `${w.where}: ${w.message}`)
    told.value = [`SPD read: ${spd.short}`, spd.crc_ok ? 'checksums right' : 'checksums wrong', ...odd].join('; ')
    await send({ [props.slot_.id]: spd.module })
  } catch (error) {
    wrong.value = wordsOf(error)
  }
  field.value = ''
}
async function settle(report: boolean): Promise<void> {
  try {
    const params = { path: { machine_id: props.machine.id } }
    const body = { revision: props.machine.survey.revision, slot: props.slot_.id, report }
    emit('saved', await ask(api.POST('/api/machines/{machine_id}/settlement', { params, body })))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
const others = () => props.machine.failed.filter((s) => s !== props.slot_.id)
</script>

<template>
  <div class="slot-facts">
    <h2>
      Slot <span class="mono">{{ slot_.printed }}</span>
      <button type="button" class="quiet-link" aria-label="Close this slot" @click="$emit('leave')">Close</button>
    </h2>
    <p class="small">
      {{ here === undefined ? 'empty' : here === 'unknown' ? 'not known' : moduleWords(here)
      }}<template v-if="failed">, failed</template>
      <span v-if="about" class="faded">; {{ about }}</span>
    </p>
    <p v-if="source" class="faded small">
      {{ source.kind === 'by hand' ? '' : 'by ' }}{{ KINDS[source.kind] ?? source.kind }},
      {{ moment(source.at, machine.zone) }}
    </p>
    <div v-if="dispute" class="dispute" role="group" aria-label="Disputed">
      <p class="small">
        <strong>Disputed:</strong> {{ KINDS[dispute.kind] ?? dispute.kind }} of
        {{ moment(dispute.at, machine.zone) }} says {{ occupantWords(dispute.says) }}.
      </p>
      <button type="button" class="quiet-link" @click="settle(false)">It is {{ occupantWords(here) }}</button>
      <button type="button" class="quiet-link" @click="settle(true)">It is {{ occupantWords(dispute.says) }}</button>
    </div>
    <div
      v-if="ofPart && (ofPart.offered.length || ofPart.against.length)"
      class="of-part"
      role="group"
      aria-label="Known of its part number">
      <p class="small">
        <router-link class="quiet-link mono" :to="partPath(ofPart.number)">{{ ofPart.number }}</router-link> is known,
        and nobody told it of this one:
      </p>
      <p v-for="f in ofPart.offered" :key="f.member" class="small">
        {{ f.called }}
        <button
          v-for="v in f.values"
          :key="v.words"
          type="button"
          class="quiet-link"
          @click="send({ [slot_.id]: v.module }, undefined, true)">
          {{ v.words }}<span class="faded"> {{ v.source }}</span>
        </button>
      </p>
      <button
        v-if="ofPart.offered.filter((f) => f.values.length === 1).length > 1"
        type="button"
        class="quiet-link"
        @click="send({ [slot_.id]: ofPart.all_taken }, undefined, true)">
        Take all that nothing contradicts
      </button>
      <p v-for="a in ofPart.against" :key="a" class="small wrong">{{ a }}</p>
    </div>
    <LabelEntry
      hint="Press Enter: this is what the slot holds."
      @place="send({ [slot_.id]: $event })"
      @unread="send({ [slot_.id]: $event })" />
    <label class="small"
      >or its SPD <input type="file" :aria-label="`SPD of the module in ${slot_.printed}`" @change="readSpd"
    /></label>
    <div class="doing">
      <button
        v-if="here !== 'unknown' && !dispute"
        type="button"
        class="quiet-link"
        @click="send({ [slot_.id]: here ?? null })">
        Looked: it is so
      </button>
      <button
        type="button"
        class="quiet-link"
        :disabled="here === undefined"
        @click="send({ [slot_.id]: null }, others())">
        It is empty
      </button>
      <button type="button" class="quiet-link" :disabled="here === 'unknown'" @click="send({ [slot_.id]: 'unknown' })">
        Not known
      </button>
      <button
        v-if="here && here !== 'unknown'"
        type="button"
        class="quiet-link"
        @click="send({}, failed ? others() : [...machine.failed, slot_.id])">
        {{ failed ? 'It works after all' : 'It has failed' }}
      </button>
    </div>
    <!-- what comes and goes by itself stands below what is pressed -->
    <p v-if="told" class="small" role="status">{{ told }}</p>
    <p v-for="u in waiting" :key="u.number" class="waits small" role="status">
      Kept here, and sent when there is a connection: {{ u.words }}
    </p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  </div>
</template>

<style scoped>
.slot-facts {
  display: grid;
  gap: 6px;
  padding-bottom: 10px;
  border-bottom: 1px solid var(--rule);
}
h2 {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
h2 button {
  margin-left: auto;
}
p {
  margin: 0;
}
.dispute {
  padding: 6px 10px;
  border-left: 3px solid var(--ask);
  background: var(--lit);
}
.of-part {
  padding: 6px 10px;
  border-left: 3px solid var(--brass);
  background: var(--lit);
}
.dispute button {
  display: block;
  text-align: left;
}
.doing {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.wrong {
  color: var(--stop);
}
.waits {
  border-left: 3px solid var(--ask);
  padding-left: 10px;
}
</style>

<script setup lang="ts">
/** Processors, channels and slots: the shape of a board, by a preset or count by count. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type Answers } from '@/api/client'
import BoardGlyph from '@/board/BoardGlyph.vue'
import FieldFault from '@/ui/FieldFault.vue'
import { amountIn } from '@/ui/form'
import { usePart } from '@/ui/together'
import { plural } from '@/ui/words'
import AskPart from './AskPart.vue'
import ChoiceRow from './ChoiceRow.vue'
import CountField from './CountField.vue'
import SocketChoices from './SocketChoices.vue'
import TextAnswer from '@/ui/TextAnswer.vue'
import {
  evenSlots,
  reshaped,
  shapedLike,
  slotCount,
  withChannel,
  withChannels,
  withSlots,
  withSoldered,
} from './answers'
import type { Making } from './making'

const props = defineProps<{ making: Making }>()
const m = props.making
const known = usePart()
const presets = shallowRef<{ words: string; answers: Answers }[]>([])
onMounted(async () => {
  try {
    presets.value = (await ask(api.GET('/api/boards/presets'))) as never
  } catch {
    // a help; the counts are asked all the same
  } finally {
    known()
  }
})
const a = computed(() => m.said.answers)
const apart = ref(false)
const faults = computed(() => ({ ...m.odd.value, ...m.faults }))
const uneven = computed(
  () => apart.value || evenSlots(a.value) === null || a.value.channels.filter((c) => c.soldered).length > 1,
)
const soldered = computed(() => a.value.channels.some((c) => c.soldered))
const STANDS = ['main board', 'memory boards', 'risers', 'tray'] as const
const BY = ['guess', 'board', 'guide'] as const
const letter = (i: number) => String.fromCharCode(65 + i)
const shape = (of: Answers) =>
  JSON.stringify([of.processors, of.channels.map((c) => [c.slots, c.soldered]), of.stand, of.carriers])
const glyph = (of: Answers) =>
  Array.from({ length: Math.min(of.processors, 2) }, (_, i) => ({
    socket: String(i),
    slots: 'e'.repeat(
      Math.min(
        of.channels.reduce((n, c) => n + c.slots, 0),
        8,
      ),
    ),
    soldered: of.channels.filter((c) => c.soldered).length,
  }))

function take(given: Answers): void {
  m.answer(shapedLike(a.value, given))
  m.note.value = ''
}
const shown = (n: number | null) => (n === null ? '' : String(n))
const unread = ref('')
/** How much is soldered on a channel; what cannot be read changes nothing, and that is said. */
function solder(at: number, typed: string): void {
  unread.value = ''
  try {
    const soldered_gib = typed.trim() ? amountIn('soldered_gib', typed) || null : null
    m.answer({ ...withChannel(a.value, at, { soldered_gib }), names: a.value.names, behind: a.value.behind })
  } catch (error) {
    unread.value = `Soldered GB: ${wordsOf(error)}`
  }
}
</script>

<template>
  <AskPart
    title="Processors, channels, slots"
    :done="m.said.begun ? 'all' : 'none'"
    :note="
      m.said.begun
        ? `${plural(slotCount(a), 'slot')}${a.channels_by === 'guess' ? '; channels a guess' : ', told by you'}`
        : undefined
    ">
    <div class="presets" role="group" aria-label="Common architectures">
      <button
        v-for="p in presets"
        :key="p.words"
        type="button"
        class="choice preset"
        :aria-pressed="m.said.begun && shape(a) === shape(p.answers)"
        @click="take(p.answers)">
        <BoardGlyph :groups="glyph(p.answers)" />
        {{ p.words }}
      </button>
    </div>
    <p v-if="m.note.value" class="faded small">
      {{ m.note.value }}
      <button v-if="m.draftable.value" type="button" class="quiet-link" @click="m.draft">
        Draft its sheet from the report, slot by slot
      </button>
    </p>
    <div class="counts">
      <CountField
        label="processors"
        :least="1"
        :most="8"
        :model-value="a.processors"
        @update:model-value="m.answer(reshaped(a, { processors: $event! }))" />
      <CountField
        label="channels each"
        :least="1"
        :most="12"
        :model-value="a.channels.length"
        @update:model-value="m.answer(withChannels(a, $event!))" />
      <CountField
        label="slots a channel"
        :least="0"
        :most="3"
        :model-value="evenSlots(a)"
        mixed="differ"
        @update:model-value="m.answer(withSlots(a, $event!))" />
    </div>
    <div class="words">
      <button type="button" class="choice" :aria-pressed="uneven" @click="apart = !apart">channels differ</button>
      <button type="button" class="choice" :aria-pressed="soldered" @click="m.answer(withSoldered(a, !soldered))">
        soldered memory
      </button>
      <label v-if="soldered && !uneven" class="small faded"
        >how much
        <TextAnswer
          :value="shown(a.channels.find((c) => c.soldered)!.soldered_gib)"
          class="short"
          inputmode="decimal"
          label="Soldered GB"
          placeholder="?"
          @said="
            solder(
              a.channels.findIndex((c) => c.soldered),
              $event,
            )
          " />
        GB</label
      >
    </div>
    <table v-if="uneven" class="apart small" aria-label="Channel by channel">
      <tbody>
        <tr v-for="(c, i) in a.channels" :key="i">
          <th scope="row">{{ letter(i) }}</th>
          <td>
            <CountField
              :label="`slots of channel ${letter(i)}`"
              :least="0"
              :most="3"
              :model-value="c.slots"
              @update:model-value="m.answer(withChannel(a, i, { slots: $event! }))" />
          </td>
          <td>
            <label class="check"
              ><input
                type="checkbox"
                :checked="c.soldered"
                :aria-label="`channel ${letter(i)} has soldered memory`"
                @change="m.answer(withChannel(a, i, { soldered: !c.soldered, soldered_gib: null }))" />
              soldered</label
            >
            <label v-if="c.soldered"
              ><TextAnswer
                :value="shown(c.soldered_gib)"
                class="short"
                inputmode="decimal"
                :label="`Soldered GB of channel ${letter(i)}`"
                placeholder="?"
                @said="solder(i, $event)" />
              GB</label
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="unread" class="wrong small" role="alert">{{ unread }}</p>
    <FieldFault
      v-for="f in Object.keys(faults).filter((k) => k === 'channels' || k.startsWith('channels.'))"
      :key="f"
      :of="faults"
      :name="f" />
    <ChoiceRow
      v-if="slotCount(a) > 1 || soldered"
      label="Which slots share a channel"
      :of="BY"
      :chosen="[a.channels_by]"
      :words="{ guess: 'channels are a guess', board: 'printed on the board', guide: 'its guide says' }"
      @choose="m.answer({ ...a, channels_by: $event })" />
    <ChoiceRow
      label="The slots stand on"
      :of="STANDS"
      :chosen="[a.stand]"
      :words="{ 'main board': 'on the main board', 'memory boards': 'memory boards', risers: 'risers', tray: 'tray' }"
      :wrong="faults.carriers"
      @choose="
        m.answer(
          reshaped(a, {
            stand: $event,
            carriers:
              $event === 'main board' || $event === 'tray' ? 1 : Math.max(a.processors, $event === 'risers' ? 2 : 1),
          }),
        )
      ">
      <CountField
        v-if="a.stand !== 'main board'"
        :label="`how many ${a.stand === 'tray' ? 'trays' : a.stand}`"
        :least="1"
        :most="32"
        :model-value="a.carriers"
        @update:model-value="m.answer(reshaped(a, { carriers: $event! }))" />
    </ChoiceRow>
    <SocketChoices v-if="m.said.begun" :making="m" />
    <div class="printed">
      <label
        >printed
        <TextAnswer
          :value="a.printed || a.names[0] || ''"
          class="mono"
          label="Name of the first slot"
          :most="60"
          placeholder="A1"
          @said="m.answer({ ...a, printed: $event, names: [] })"
      /></label>
      <span v-if="m.slots.value.length && !m.said.sheet" class="gives small"
        >gives
        <span class="mono"
          >{{ m.slots.value.slice(0, 6).join('  ') }}{{ m.slots.value.length > 6 ? ' ...' : '' }}</span
        ></span
      >
      <span class="faded small">touch a slot to rename it</span>
    </div>
    <FieldFault :of="faults" name="names" />
    <FieldFault :of="faults" name="behind" />
  </AskPart>
</template>

<style scoped>
.presets {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}
.preset {
  display: grid;
  justify-items: center;
  align-content: end;
  gap: 3px;
  margin: 0;
  font-size: 12px;
}
.preset :deep(.glyph) {
  max-width: 84px;
  height: 26px;
}
.counts,
.words,
.printed {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 22px;
  align-items: end;
}
.words,
.printed {
  align-items: center;
  gap: 4px 16px;
}
.words .choice {
  margin: 0;
}
.short {
  width: 58px;
}
.printed input {
  width: 130px;
}
.gives {
  overflow-wrap: anywhere;
}
.apart th {
  text-align: left;
  padding-right: 12px;
  font-size: 15px;
}
.apart td {
  padding: 2px 16px 2px 0;
}
.apart td label {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  min-height: 26px;
  margin-right: 10px;
}
@media (pointer: coarse) {
  .apart td label {
    min-height: 44px;
  }
}
p {
  margin: 0;
}
</style>

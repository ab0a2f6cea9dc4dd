<script setup lang="ts">
/** Drives: how many bays, how they are numbered, and what is in each: their order is kept. */
import { computed, reactive, ref } from 'vue'
import type { Answers } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import AskPart from './AskPart.vue'
import ChoiceRow from './ChoiceRow.vue'
import CountField from './CountField.vue'
import type { Making } from './making'

const props = defineProps<{ making: Making }>()
const m = props.making
const a = computed(() => m.said.answers)
const faults = computed(() => ({ ...m.odd.value, ...m.faults }))
const numbers = computed(() => Array.from({ length: a.value.bays ?? 0 }, (_, i) => i + a.value.first_bay))
const told = computed(() => numbers.value.filter((n) => m.said.bays[n] !== undefined).length)
const open = ref<number | null>(null)
const typed = reactive({ label: '', serial: '' })
const change = (more: Partial<Answers>) => m.answer({ ...a.value, ...more })
function bays(count: number): void {
  change({ bays: count || null, rows: count && count % a.value.rows === 0 ? a.value.rows : 1 })
}
function touch(n: number): void {
  open.value = open.value === n ? null : n
  Object.assign(typed, { label: '', serial: '' }, m.said.bays[n] ?? {})
}
function say(drive: { serial: string; label: string } | null | undefined): void {
  if (open.value === null) return
  if (drive === undefined) delete m.said.bays[open.value]
  else m.said.bays[open.value] = drive
  const next = numbers.value[numbers.value.indexOf(open.value) + 1]
  open.value = null
  if (drive !== undefined && next !== undefined && m.said.bays[next] === undefined) touch(next)
}
</script>

<template>
  <AskPart
    title="Drives"
    :done="a.bays ? (told === a.bays ? 'all' : 'some') : 'none'"
    :note="a.bays ? `${told} of ${a.bays} told` : 'not looked at'">
    <div class="counts">
      <CountField label="bays" :least="0" :most="128" :model-value="a.bays ?? 0" @update:model-value="bays($event!)" />
      <template v-if="a.bays">
        <CountField
          label="rows"
          :least="1"
          :most="16"
          :model-value="a.rows"
          @update:model-value="change({ rows: $event! })" />
        <CountField
          label="first number"
          :least="0"
          :most="1"
          :model-value="a.first_bay"
          @update:model-value="change({ first_bay: $event! })" />
        <ChoiceRow
          label="Numbered"
          :of="['left to right', 'right to left'] as const"
          :chosen="[a.right_to_left ? 'right to left' : 'left to right']"
          @choose="change({ right_to_left: $event === 'right to left' })" />
      </template>
    </div>
    <FieldFault :of="faults" name="rows" />
    <FieldFault :of="faults" name="bays" />
    <div
      v-if="a.bays"
      class="front"
      :class="{ back: a.right_to_left }"
      :style="{ '--columns': a.bays / (a.bays % a.rows ? 1 : a.rows) }"
      role="group"
      aria-label="Bays">
      <button
        v-for="n in numbers"
        :key="n"
        type="button"
        class="bay"
        :class="{ unknown: m.said.bays[n] === undefined, open: open === n }"
        :aria-expanded="open === n"
        :aria-label="`${n} ${m.said.bays[n] === undefined ? 'not known' : m.said.bays[n] === null ? 'empty' : m.said.bays[n]!.label || m.said.bays[n]!.serial || 'a drive'}`"
        @click="touch(n)">
        <b>{{ n }}</b>&#32;<span class="mono">{{
          m.said.bays[n] === undefined
            ? '?'
            : m.said.bays[n] === null
              ? 'empty'
              : m.said.bays[n]!.label || m.said.bays[n]!.serial || 'a drive'
        }}</span>
      </button>
    </div>
    <form v-if="open !== null" class="drive" @submit.prevent="say({ ...typed })">
      <label class="small faded"
        >Written on the drive in bay {{ open }} <input v-model="typed.label" maxlength="200"
      /></label>
      <label class="small faded">Serial number <input v-model="typed.serial" class="mono" maxlength="200" /></label>
      <div class="doing">
        <button type="submit" class="quiet-link" :disabled="!typed.label.trim() && !typed.serial.trim()">Say so</button>
        <button type="button" class="quiet-link" @click="say(null)">It is empty</button>
        <button type="button" class="quiet-link" @click="say(undefined)">Not looked at</button>
      </div>
    </form>
  </AskPart>
</template>

<style scoped>
.counts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 20px;
  align-items: end;
}
.front {
  display: grid;
  grid-template-columns: repeat(var(--columns), minmax(64px, 1fr));
  gap: 3px;
  padding: 5px;
  border: 1px solid var(--module-edge);
  background: var(--paper);
  overflow-x: auto;
}
.front.back {
  direction: rtl;
}
.bay {
  display: grid;
  gap: 1px;
  min-height: 44px;
  padding: 3px 6px;
  text-align: left;
  direction: ltr;
  border: 1px solid var(--module-edge);
  background: var(--sheet);
  font-size: 12px;
  overflow: hidden;
}
.bay span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.bay.unknown {
  border: 1.25px dashed var(--ask);
  color: var(--ask);
}
.bay.open {
  outline: 2px solid var(--umber);
}
.drive {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: end;
}
.drive label {
  display: grid;
}
.doing {
  display: flex;
  gap: 14px;
}
</style>

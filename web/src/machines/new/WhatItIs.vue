<script setup lang="ts">
/** What it is: class, make and model as the plate says; and the sheet that knows it, where one does. */
import { computed } from 'vue'
import FieldFault from '@/ui/FieldFault.vue'
import AskPart from './AskPart.vue'
import ChoiceRow from './ChoiceRow.vue'
import SocketChoices from './SocketChoices.vue'
import TextAnswer from '@/ui/TextAnswer.vue'
import { progress } from './answers'
import type { Making } from './making'

const props = defineProps<{ making: Making }>()
const m = props.making
const KINDS = ['appliance', 'server', 'workstation'] as const
const a = computed(() => m.said.answers)
const models = computed(() => m.sheets.value.filter((s) => !s.archetype))
const known = computed(() => models.value.find((s) => s.hash === m.said.sheet))
const offered = computed(() => models.value.find((s) => s.hash === m.built.value?.known_as))
/** Sheets of the same maker: a board like theirs is nearer than none. */
const kin = computed(() => {
  const make = a.value.make.trim().toLowerCase()
  return make ? models.value.filter((s) => s.title.toLowerCase().startsWith(`${make} `)).slice(0, 2) : []
})
const reported = computed(() => m.said.intake?.reading.system?.model ?? '')
const other = computed(() => {
  const [typed, told] = [a.value.model.trim(), reported.value.trim()]
  const plain = (s: string) => s.toLowerCase().replace(/[^a-z0-9]/g, '')
  return !known.value && typed && told && plain(typed) !== plain(told) && !plain(told).endsWith(plain(typed))
    ? told
    : ''
})
/** The host name is no model: a sheet of that name would be of this machine alone. */
const isItsName = computed(
  () => !!a.value.model.trim() && a.value.model.trim().toLowerCase() === m.said.name.trim().toLowerCase(),
)
const change = (more: Partial<typeof a.value>) => m.answer({ ...a.value, ...more })
</script>

<template>
  <AskPart title="What it is" :done="known ? 'all' : progress(!!a.kind, !!a.model.trim())" note="from its plate">
    <template v-if="known">
      <p class="known">
        <b>{{ known.title }}</b> <span class="faded small">{{ known.kind }}; its sheet is in the library</span>
      </p>
      <p v-if="m.sheet.value?.notes" class="faded small">{{ m.sheet.value.notes }}</p>
      <p><button type="button" class="quiet-link" @click="m.choose('')">It is another model</button></p>
      <SocketChoices :making="m" />
    </template>
    <template v-else>
      <ChoiceRow label="Class" :of="KINDS" :chosen="a.kind ? [a.kind] : []" @choose="change({ kind: $event })" />
      <div class="names">
        <TextAnswer :value="a.make" label="Make" placeholder="make" @said="change({ make: $event })" />
        <TextAnswer :value="a.model" label="Model" placeholder="model" @said="change({ model: $event })" />
        <span class="faded small">as the plate says</span>
      </div>
      <FieldFault :of="{ ...m.odd.value, ...m.faults }" name="model" />
      <p v-if="isItsName" class="small ask">
        That is what this machine is called. Its plate has the model, which others of its kind share.
      </p>
      <p v-if="other" class="wrong small" role="alert">
        The report is of another model: it says {{ other }}.
        <button
          type="button"
          class="quiet-link"
          @click="change({ model: other, make: m.said.intake?.reading.system?.maker ?? a.make })">
          It is that one
        </button>
      </p>
      <p v-for="s in m.likely.value" :key="s.hash" class="small">
        It may be <button type="button" class="quiet-link" @click="m.choose(s.hash)">{{ s.title }}</button>:
        {{ s.reasons.join(', ') }}.
      </p>
      <p v-if="offered" class="small known-line">
        <span class="dot" /> The library knows it.
        <button type="button" class="quiet-link" @click="m.choose(offered.hash)">
          Use the sheet of {{ offered.title }}
        </button>
      </p>
      <p v-else-if="a.model.trim()" class="small known-line">
        <span class="dot" /> No sheet knows it: build its board<template v-if="kin.length"
          >, or start from
          <template v-for="(s, i) in kin" :key="s.hash"
            ><template v-if="i">, </template
            ><button type="button" class="quiet-link" @click="m.like(s.hash)">{{ s.title }}</button></template
          ></template
        >
      </p>
      <!-- Always a line: what lies below must not move away under a press. -->
      <p v-else class="small faded known-line">Its model tells whether the library knows it.</p>
      <label class="pick small faded">
        or a model of the library
        <select
          :value="m.said.sheet"
          aria-label="Sheet of the model"
          @change="m.choose(($event.target as HTMLSelectElement).value)">
          <option value="">none of these</option>
          <option v-for="s in models" :key="s.hash" :value="s.hash">{{ s.title }}</option>
        </select>
      </label>
    </template>
  </AskPart>
</template>

<style scoped>
p {
  margin: 0;
}
.known-line {
  min-height: 26px;
  line-height: 26px;
}
.known b {
  font-size: 17px;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.names input {
  width: 132px;
}
.pick {
  display: grid;
  grid-template-columns: 140px minmax(0, 220px);
  gap: 8px;
  align-items: center;
}
.ask {
  color: var(--ask);
}
.dot {
  display: inline-block;
  width: 8px;
  height: 8px;
  margin-right: 4px;
  border: 2px solid var(--ask);
  border-radius: 50%;
}
</style>

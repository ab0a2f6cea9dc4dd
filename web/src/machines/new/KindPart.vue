<script setup lang="ts">
/** Generation, form and kind: from a label where one is typed, otherwise as answered. */
import { computed } from 'vue'
import type { Answers } from '@/api/client'
import { kindOf } from '@/ui/words'
import AskPart from './AskPart.vue'
import ChoiceRow from './ChoiceRow.vue'
import { progress } from './answers'
import type { Making } from './making'

const props = defineProps<{ making: Making }>()
const m = props.making
const a = computed(() => m.said.answers)
const GENERATIONS = ['DDR2', 'DDR3', 'DDR4', 'DDR5'] as const
const FORMS = ['DIMM', 'SO-DIMM'] as const
const KINDS = ['unbuffered', 'unbuffered ECC', 'registered', 'load-reduced', 'fully buffered'] as const
const faults = computed(() => ({ ...m.odd.value, ...m.faults }))
/** Kinds that run in it, as its modules say. */
const seen = computed(() => [...new Set(m.modules.value.flatMap((x) => kindOf(x) ?? []))])
const volts = computed(() => [
  ...new Set(m.modules.value.filter((x) => x.rails_v.length).map((x) => x.rails_v.join(' or '))),
])
const change = (more: Partial<Answers>) => m.answer({ ...a.value, ...more })
function toggle(kind: Answers['kinds'][number]): void {
  change({ kinds: a.value.kinds.includes(kind) ? a.value.kinds.filter((k) => k !== kind) : [...a.value.kinds, kind] })
}
</script>

<template>
  <AskPart
    title="Generation, form, kind"
    :done="progress(!!a.generation, !!a.form, !!(a.kinds.length || seen.length))"
    :note="seen.length ? 'from the modules in it' : undefined">
    <ChoiceRow
      label="Generation"
      :of="GENERATIONS"
      :chosen="a.generation ? [a.generation] : []"
      :wrong="faults.generation"
      @choose="change({ generation: $event })" />
    <ChoiceRow
      label="Form"
      :of="FORMS"
      :chosen="(a.form ? [a.form] : []) as never"
      :wrong="faults.form"
      @choose="change({ form: $event })" />
    <ChoiceRow label="Kinds" :of="KINDS" :chosen="a.kinds" @choose="toggle" />
    <ChoiceRow
      v-if="a.kinds.length"
      label="Who says so"
      :of="['seen', 'guide'] as const"
      :chosen="[a.kinds_by]"
      :words="{ seen: 'such modules run in it', guide: 'its guide: these and no other' }"
      @choose="change({ kinds_by: $event })" />
    <p v-if="seen.length" class="small">
      Seen: <b>{{ seen.join(', ') }}</b><template v-if="volts.length"> at {{ volts.join('; ') }} V</template>.
      <span class="faded">It runs such modules; what else it takes is asked later.</span>
    </p>
  </AskPart>
</template>

<style scoped>
p {
  margin: 0;
}
</style>

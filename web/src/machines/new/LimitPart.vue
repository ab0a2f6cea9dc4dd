<script setup lang="ts">
/** The one limit that somebody read, with who states it. */
import { computed, ref } from 'vue'
import { wordsOf, type Answers } from '@/api/client'
import { amountIn } from '@/ui/form'
import AskPart from './AskPart.vue'
import ChoiceRow from './ChoiceRow.vue'
import TextAnswer from '@/ui/TextAnswer.vue'
import { progress } from './answers'
import type { Making } from './making'

const props = defineProps<{ making: Making }>()
const m = props.making
const a = computed(() => m.said.answers)
const faults = computed(() => ({ ...m.odd.value, ...m.faults }))
const BY = ['plate', 'guide', 'sales page', 'report', 'not looked'] as const
const shown = computed(() => BY.filter((b) => b !== 'report' || a.value.limit_by === 'report' || m.said.intake))
const change = (more: Partial<Answers>) => m.answer({ ...a.value, ...more })
const unread = ref('')
function amount(typed: string): void {
  unread.value = ''
  try {
    change({ limit_gib: typed.trim() ? amountIn('limit_gib', typed) || null : null })
  } catch (error) {
    unread.value = `At most GB: ${wordsOf(error)}`
  }
}
</script>

<template>
  <AskPart
    title="The one limit"
    :done="progress(!!a.limit_gib, !!a.limit_by)"
    :note="a.limit_by ? undefined : 'not looked'">
    <div class="row">
      <label
        ><TextAnswer
          :value="a.limit_gib === null ? '' : String(a.limit_gib)"
          class="short"
          inputmode="decimal"
          label="At most GB"
          placeholder="?"
          @said="amount" />
        GB at most, says</label
      >
      <ChoiceRow
        label="Who states it"
        :of="shown"
        :chosen="[a.limit_by ?? 'not looked']"
        :words="{ plate: 'the plate', guide: 'the guide', 'sales page': 'a sales page', report: 'its own tables' }"
        @choose="
          $event === 'not looked' ? change({ limit_by: null, limit_gib: null }) : change({ limit_by: $event })
        " />
    </div>
    <p v-if="unread" class="wrong small" role="alert">{{ unread }}</p>
    <p v-for="f in ['limit_gib', 'limit_by'].filter((k) => faults[k])" :key="f" class="wrong small" role="alert">
      {{ faults[f] }}
    </p>
  </AskPart>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
}
.short {
  width: 76px;
  font-size: 17px;
  font-weight: 650;
}
p {
  margin: 0;
}
</style>

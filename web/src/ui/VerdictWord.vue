<script setup lang="ts">
/** A verdict as it is said and drawn everywhere: its shape, its word, what it could still become. */
import { computed } from 'vue'
import SeverityMark from './SeverityMark.vue'
import { couldBecome, VERDICTS, type Verdict } from './verdict'

const props = defineProps<{ of: { verdict: Verdict; at_worst?: Verdict }; proved?: boolean; size?: number }>()
const shown = computed(() => VERDICTS[props.of.verdict])
const beside = computed(() =>
  props.proved
    ? 'since its proof'
    : props.of.at_worst
      ? couldBecome({ verdict: props.of.verdict, at_worst: props.of.at_worst })
      : '',
)
</script>

<template>
  <span class="verdict-word"
    ><span aria-hidden="true" class="shape"><SeverityMark :severity="shown.severity" :size="size" /></span
    ><span class="word" :class="`is-${shown.severity}`">{{ shown.words }}</span
    ><small v-if="beside" class="faded">{{ beside }}</small></span
  >
</template>

<style scoped>
.verdict-word {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 0 7px;
  align-items: baseline;
}
.shape {
  align-self: center;
  line-height: 0;
}
.word {
  font-weight: 650;
  white-space: nowrap;
}
.is-stop {
  color: var(--stop);
}
.is-ask {
  color: var(--ask);
}
.is-risk {
  color: var(--risk);
}
.is-go {
  color: var(--go);
}
/* On a row that is set off the green is a shape only: as text it would be too faint. */
.chosen .is-go,
.mine .is-go,
a:hover .is-go {
  color: inherit;
}
</style>

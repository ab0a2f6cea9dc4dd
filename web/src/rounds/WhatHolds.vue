<script setup lang="ts">
/** What holds a round back, and what a little more would bring. */
import { computed } from 'vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { plural } from '@/ui/words'
import { money, type Proposal } from './words'

const props = defineProps<{ proposal: Proposal }>()
const NAMES: Record<Proposal['holds'][number]['by'], string> = {
  hours: 'hours',
  budget: 'money',
  stock: 'stock',
  window: 'windows',
  group: 'duty group',
  pin: 'the pin',
}
/** Whom it lets in: "it", where the words name it already. */
function said(h: Proposal['holds'][number]): string {
  const names = h.comes_in.map((m) => (h.words.startsWith(`${m} `) ? 'it' : m))
  return names.length > 3 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ')
}
/** Machines of which nobody said how much they are to have. */
const untold = computed(() => props.proposal.rows.filter((r) => r.need_gib === null).length)
/** Machines that want more, and that nothing at hand or on offer brings there. */
const wayless = computed(
  () => props.proposal.rows.filter((r) => r.need_gib !== null && !r.served && !r.ways.length).length,
)
</script>

<template>
  <section class="holds" aria-label="What holds it back">
    <h2>What holds it back <span class="faded small">and what a little more would bring</span></h2>
    <p v-if="untold" class="small">
      Nobody said what {{ plural(untold, 'machine needs', 'machines need') }}: say so in Target, or at the machine here.
    </p>
    <p v-if="!proposal.holds.length && untold < proposal.rows.length" class="faded small">
      Nothing that was tried would make it better: more money, hours, stock, a wave or a group open by one more.
    </p>
    <p v-if="wayless" class="small">
      {{ plural(wayless, 'machine has', 'machines have') }} no way with the modules that there are:
      <router-link class="quiet-link" to="/shelf">put what could be had on the Shelf</router-link>, or lower what they
      are to have.
    </p>
    <ul>
      <li v-for="(h, i) in proposal.holds.slice(0, 8)" :key="i">
        <SeverityMark :severity="h.by === 'pin' ? 'note' : h.sure ? 'slow' : 'ask'" />
        <span class="small faded">{{ NAMES[h.by] }}</span>
        <span
          ><b>{{ h.words }}</b
          ><template v-if="h.comes_in.length"> would let {{ said(h) }} in</template
          ><template v-else> would serve better</template
          ><template v-if="h.goes_out.length">, for {{ h.goes_out.join(', ') }}</template
          >.
          <span class="small faded"
            >{{ money(h.gain) }} {{ proposal.currency }} better in all{{ h.sure ? '' : ', as far as is known' }}</span
          ></span
        >
      </li>
    </ul>
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 16px 76px minmax(0, 1fr);
  gap: 8px;
  align-items: baseline;
  padding: 4px 0;
  border-top: 1px solid var(--rule);
}
p {
  margin: 6px 0 0;
}
</style>

<script setup lang="ts">
/** What a round comes to in all, and how sure it is that nothing better can be. */
import { computed } from 'vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { age, plural } from '@/ui/words'
import { isProved, money, percent, provedWords, type Asked, type Proposal } from './words'

const props = defineProps<{ proposal: Proposal; asked: Asked }>()
const served = computed(() => props.proposal.rows.filter((r) => r.served).length)
</script>

<template>
  <section class="whole" :data-proposed="proposal.at" aria-label="The whole">
    <span
      ><b>+{{ Math.round(proposal.gib) }}</b> GB
      <small>{{ served }} of {{ plural(proposal.rows.length, 'machine') }}</small></span
    >
    <span
      ><b>{{ money(proposal.spent) }}</b> {{ proposal.currency }}
      <small
        >{{ asked.budget ? `of ${money(asked.budget)}; ` : '' }}passing on saves {{ money(proposal.saved) }}</small
      ></span
    >
    <span
      ><b>{{ proposal.hours }}</b> h <small>hands at the most</small></span
    >
    <span
      ><b>{{ percent(proposal.trouble) }}</b
      >{{ ' ' }} <small>any trouble, {{ proposal.troubled.toFixed(2) }} machines expected</small></span
    >
    <p class="proved">
      <SeverityMark :severity="isProved(proposal) ? 'go' : 'note'" /> {{ provedWords(proposal) }},
      <span class="faded">solved in {{ proposal.seconds }} s, {{ age(proposal.at) }}</span>
    </p>
    <p v-if="proposal.left_out.length" class="left-out small"><b>Not used:</b> {{ proposal.left_out.join('; ') }}.</p>
    <p v-if="proposal.unheld.length" class="wrong">
      Cannot be held: the {{ proposal.unheld.length === 1 ? 'pin' : 'pins' }} of {{ proposal.unheld.join(', ') }}.
    </p>
  </section>
</template>

<style scoped>
.whole {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 22px;
  align-items: baseline;
  padding: 6px 16px;
  border-bottom: 1px solid var(--rule);
}
.whole > span > b {
  font-size: 18px;
}
.whole small {
  color: var(--faded);
}
.whole p {
  margin: 0;
}
.proved {
  display: flex;
  gap: 7px;
  align-items: center;
}
</style>

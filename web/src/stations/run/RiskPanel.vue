<script setup lang="ts">
/** What a plan risks, as a lead should see it before taking it: how much, why, against which saving, and what lowers it. */
import { computed } from 'vue'
import type { Risk } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'
import VerdictWord from '@/ui/VerdictWord.vue'
import BeliefLine from '@/ui/BeliefLine.vue'
import { movedWords, rangeWords } from '@/ui/belief'
import RangeMark from '@/ui/RangeMark.vue'
import { percent, troubled } from '@/ui/figures'
import WorthIt from '../WorthIt.vue'
import { LEVERS, money } from '../routes/words'

const props = defineProps<{ risk: Risk }>()
const currency = computed(() => props.risk.currency)
const moved = computed(() => movedWords(props.risk.trouble_range, props.risk.trouble))
const lacking = computed(() => props.risk.beliefs.filter((b) => b.lacks_word))
const others = computed(() => props.risk.beliefs.filter((b) => !b.lacks_word))
</script>

<template>
  <section class="panel risk" aria-labelledby="risk-title">
    <h2 id="risk-title">What it risks</h2>
    <template v-if="risk.needed">
      <p><VerdictWord :of="risk" /></p>
      <p v-if="risk.beliefs.length" class="figure">
        <strong>{{ troubled(risk.trouble, risk.not_counted) }}</strong> trouble
        <RangeMark :at="risk.trouble" :low="risk.trouble_range.low" :high="risk.trouble_range.high" />
        <span class="faded small"
          >{{ rangeWords(risk.trouble_range) }} when it is looked at otherwise{{ moved ? ` (${moved})` : '' }}; a module
          that comes in and fails early is {{ percent(risk.fails_early) }} of it; expected loss
          {{ risk.costs_told ? money(risk.expected_loss, currency) : 'not told: no costs are set' }}</span
        >
      </p>
      <p v-else class="small">How much trouble it would be cannot be told while this is open:</p>
      <ul class="reasons">
        <li v-for="(f, i) in risk.reasons" :key="i"><SeverityMark :severity="f.severity" /> {{ f.message }}</li>
      </ul>
      <BeliefLine v-for="b in lacking" :key="b.words" :belief="b" />
      <details v-if="others.length" class="small others">
        <summary>
          and {{ others.length }} that {{ others.length === 1 ? 'is' : 'are' }} only as doubtful as anything new
        </summary>
        <BeliefLine v-for="b in others" :key="b.words" :belief="b" />
      </details>
      <WorthIt
        v-if="risk.saving"
        class="small"
        :saving="risk.saving"
        :loss="risk.expected_loss - risk.saving.official_loss"
        :losses="risk.losses"
        :trouble="risk.trouble"
        :range="risk.trouble_range"
        :currency="currency"
        :costs-told="risk.costs_told"
        :against="`${money(risk.saving.official_cost, currency)} in the maker’s word`" />
      <p v-else class="faded small">
        What it saves cannot be told: not all of its parts are at hand with a price, or nothing in the maker's word
        gives as much.
      </p>
      <template v-if="risk.levers.length">
        <h3>What lowers it</h3>
        <ul class="levers small">
          <li v-for="l in risk.levers" :key="l.kind + l.about">
            <b>{{ LEVERS[l.kind] ?? l.kind }}{{ l.about ? ` ${l.about}` : '' }}</b
            >: trouble {{ percent(l.trouble)
            }}<template v-if="risk.costs_told">, loss {{ money(l.expected_loss, currency) }}</template
            >{{ ' ' }}
            <span class="faded">({{ l.because }})</span>
          </li>
        </ul>
      </template>
    </template>
    <template v-else-if="risk.verdict === 'no-go'">
      <p><VerdictWord :of="risk" /></p>
      <ul class="reasons">
        <li v-for="(f, i) in risk.reasons" :key="i"><SeverityMark :severity="f.severity" /> {{ f.message }}</li>
      </ul>
    </template>
    <p v-else class="quiet">
      <VerdictWord :of="risk" /> Nothing in it is at risk: all of it is vouched for, or ran here before.
    </p>
  </section>
</template>

<style scoped>
.risk {
  padding: 12px 18px 14px;
}
.figure {
  margin: 6px 0 8px;
}
.figure strong {
  font-size: 28px;
  line-height: 1;
}
.figure span {
  display: block;
}
ul {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
  display: grid;
  gap: 4px;
}
h3 {
  font-size: 14px;
  margin: 8px 0 4px;
}
p {
  margin: 6px 0;
}
</style>

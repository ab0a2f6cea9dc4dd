<script setup lang="ts">
/** What an installation shows that has no machine yet: where to begin, and the way from there. */
import { session } from '@/frame/session'
import { goTo } from '@/frame/walk'

const WAY = [
  { station: 'Survey', words: 'what is fitted, slot by slot, and how sure that is' },
  { station: 'Target', words: 'how much it needs' },
  { station: 'Ceiling', words: 'how high it can go, and who says so' },
  { station: 'Routes', words: 'what to buy, with what it risks' },
  { station: 'Fit', words: 'which module into which slot' },
  { station: 'Run', words: 'the work, step by step, at the machine' },
  { station: 'Proof', words: 'that it is what was planned, and stays so' },
]
</script>

<template>
  <section class="first" aria-labelledby="first-title">
    <h2 id="first-title">Begin with one machine</h2>
    <p>
      Paste what it reports of itself, read its labels, or draw its board by a few answers: any of the three makes it.
      What nobody knows yet may stay open; it is said where it matters.
    </p>
    <p v-if="session.mayWrite()" class="presses">
      <router-link class="press" to="/machines/new">New machine</router-link>
      <router-link class="press quiet" to="/machines/many">Many at once: a folder of reports, or a table</router-link>
      <button type="button" class="press quiet" @click="goTo(0)">Walk me through a first one: ten minutes</button>
    </p>
    <p v-else class="faded">You may look; a technician or a lead makes the first machine.</p>
    <h3>and then, from left to right</h3>
    <ol>
      <li v-for="w in WAY" :key="w.station">
        <b>{{ w.station }}</b> <span>{{ w.words }}</span>
      </li>
    </ol>
    <p v-if="session.account?.role === 'lead'" class="small faded">Colleagues are added under your name, in People.</p>
  </section>
</template>

<style scoped>
.first {
  max-width: 720px;
  padding: 18px 20px 24px;
}
h2 {
  margin: 0 0 8px;
}
h3 {
  margin: 0;
  color: var(--faded);
  font-size: 13px;
  font-weight: 400;
}
p {
  margin: 0 0 14px;
}
.presses {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
ol {
  display: grid;
  gap: 1px;
  margin: 4px 0 16px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 14px;
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
}
li b {
  flex: 0 0 74px;
}
</style>

<script setup lang="ts">
/** What the proof is made of and how each stands: there, lacking, against it, or waived by a lead with a reason. */
import { computed, ref } from 'vue'
import type { Proof } from '@/api/client'
import { session } from '@/frame/session'
import { PROOF } from '@/stations/run/words'
import { useForm } from '@/ui/form'
import SeverityMark from '@/ui/SeverityMark.vue'
import { age, plural } from '@/ui/words'

const props = defineProps<{ proof: Proof; active: boolean; enter: (entry: Record<string, unknown>) => Promise<void> }>()
const waiving = ref('')
const isLead = computed(() => session.account?.role === 'lead')
const open = computed(() => props.proof.items.filter((i) => i.state === 'lacking' || i.state === 'against').length)
const title = computed(() => {
  if (props.proof.state === 'proved') return 'Proved and signed off'
  if (props.proof.state === 'waived') return 'Signed off, not proved'
  if (props.proof.state === 'backed out') return 'Backed out'
  return open.value
    ? `${plural(open.value, 'thing')} lacking`
    : props.proof.items.some((i) => i.state === 'waived')
      ? 'Nothing more is lacking'
      : 'Nothing is lacking'
})
const { values, wrong, sending, submit, clear } = useForm({ reason: '' }, async (f) => {
  await props.enter({ kind: 'waived', what: waiving.value, reason: f.reason })
  waiving.value = ''
  clear()
})
</script>

<template>
  <section class="panel items" aria-labelledby="items-title">
    <h2 id="items-title">{{ title }}</h2>
    <p v-if="proof.signed" class="small faded">Signed by {{ proof.signed.by }}, {{ age(proof.signed.at) }}.</p>
    <ul class="small">
      <li v-for="i in proof.items" :key="i.what">
        <SeverityMark :severity="PROOF[i.state]!.mark" />
        <div>
          <b>{{ i.what[0]!.toUpperCase() }}{{ i.what.slice(1) }}</b> {{ i.words }}
          <span v-if="i.state === 'waived'" class="waived"
            >Waived by {{ i.by }}, {{ i.at ? age(i.at) : '' }}: {{ i.reason }}</span
          >
          <button
            v-if="active && isLead && i.state === 'lacking'"
            type="button"
            class="quiet-link"
            :aria-expanded="waiving === i.what"
            @click="waiving = waiving === i.what ? '' : i.what">
            Waive
          </button>
          <form v-if="waiving === i.what" class="fields" :aria-label="`Waive: ${i.what}`" @submit.prevent="submit">
            <label>Why it goes on without <input v-model="values.reason" required maxlength="2000" /></label>
            <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
            <button class="press slim" type="submit" :disabled="sending">Go on without it</button>
            <p class="faded">It stays visible as waived; nothing of this is told as a trial that others can rely on.</p>
          </form>
        </div>
      </li>
    </ul>
    <slot />
  </section>
</template>

<style scoped>
.items {
  padding: 10px 16px 12px;
}
p {
  margin: 2px 0;
}
ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
  display: grid;
  gap: 5px;
}
li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr);
  gap: 6px;
  align-items: start;
}
li > :first-child {
  margin-top: 3px;
}
.waived {
  display: block;
  color: var(--risk);
}
form {
  display: grid;
  gap: 6px;
  margin: 6px 0;
  justify-items: start;
}
form label {
  width: 100%;
}
</style>

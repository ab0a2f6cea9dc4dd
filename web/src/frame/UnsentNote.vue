<script setup lang="ts">
/** What was said without a connection and is not with the server: that it waits, and what the server refused, with why. */
import { computed } from 'vue'
import { plural } from '@/ui/words'
import { forgetUnsent, unsent, type Unsent } from './outbox'
import { session } from './session'

const waiting = computed(() => unsent.value.filter((u) => !u.refused))
const refused = computed(() => unsent.value.filter((u) => u.refused))
/** Back into the form that it came from, as it was. */
async function again(u: Unsent): Promise<void> {
  localStorage.setItem(`umbrak-new-machine:${session.account?.id ?? ''}`, u.draft!)
  await forgetUnsent(u.number!)
  location.assign('/machines/new') // afresh, though it be the page that is shown
}
</script>

<template>
  <div v-if="unsent.length" class="unsent small" role="status">
    <details v-if="waiting.length">
      <summary>
        {{ plural(waiting.length, 'thing') }} said here {{ waiting.length === 1 ? 'waits' : 'wait' }} for the connection
      </summary>
      <ul>
        <li v-for="u in waiting" :key="u.number">{{ u.words }}</li>
      </ul>
    </details>
    <p v-for="u in refused" :key="u.number" class="refused">
      <b>{{ u.words }}</b> was not taken: {{ u.refused }}
      <button v-if="u.draft" type="button" class="quiet-link" @click="again(u)">Go on with it</button>
      <router-link v-else-if="u.machine" class="quiet-link" :to="`/machines/${u.machine}/survey`"
        >Look at the machine</router-link
      >
      <button type="button" class="quiet-link" @click="forgetUnsent(u.number!)">Forget it</button>
    </p>
  </div>
</template>

<style scoped>
.unsent {
  padding: 6px 20px 6px 40px;
  border-top: 1px solid var(--rule);
  background: var(--lit);
  max-height: 40vh;
  overflow-y: auto;
}
p {
  margin: 2px 0;
}
.refused {
  border-left: 3px solid var(--stop);
  padding-left: 10px;
}
button,
a {
  margin-left: 8px;
}
ul {
  margin: 2px 0;
}
summary {
  cursor: pointer;
}
@media (max-width: 700px) {
  .unsent {
    padding-left: 14px;
  }
}
</style>

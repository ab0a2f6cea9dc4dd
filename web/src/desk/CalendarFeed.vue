<script setup lang="ts">
/** What comes, in one's own calendar: an address that is told once, and can be let lead nowhere. */
import { onMounted, ref } from 'vue'
import { api, ask, wordsOf } from '@/api/client'

const kept = ref(false)
const address = ref('')
const wrong = ref('')
async function told(work: () => Promise<void>): Promise<void> {
  try {
    await work()
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
onMounted(() => told(async () => void (kept.value = (await ask(api.GET('/api/desk/feed'))).kept)))
const make = () =>
  told(async () => {
    address.value = location.origin + (await ask(api.POST('/api/desk/feed'))).path!
    kept.value = true
  })
const end = () =>
  told(async () => {
    await ask(api.DELETE('/api/desk/feed'))
    kept.value = false
    address.value = ''
  })
</script>

<template>
  <section aria-label="Your calendar" class="side">
    <h2>In your calendar</h2>
    <p v-if="address" class="small">
      Windows, waves, deliveries and returns, for whoever knows this address. It is shown this once:<br /><input
        class="mono"
        :value="address"
        readonly
        aria-label="Address of the calendar"
        @focus="($event.target as HTMLInputElement).select()" />
    </p>
    <p v-else class="small faded">
      {{
        kept
          ? 'Your calendar asks at an address that was made before.'
          : 'Windows, waves, deliveries and returns, at an address that your calendar asks for itself.'
      }}
    </p>
    <p class="small acts">
      <button type="button" class="quiet-link" @click="make">{{ kept ? 'Make it anew' : 'Make an address' }}</button>
      <button v-if="kept" type="button" class="quiet-link" @click="end">Let it lead nowhere</button>
    </p>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
  </section>
</template>

<style scoped>
p {
  margin: 0;
}
p + p {
  margin-top: 4px;
}
.side {
  display: grid;
  gap: 4px;
  padding-top: 10px;
  border-top: 1px solid var(--rule);
}
input {
  width: 100%;
  padding: 4px 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
@media (max-width: 700px) {
  button {
    min-width: 44px;
    min-height: 44px;
  }
}
.acts {
  display: flex;
  gap: 14px;
}
</style>

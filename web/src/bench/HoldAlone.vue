<script setup lang="ts">
/** At a hold that wants a second person: somebody else ticks on this device by their own sign-in, or who is alone goes on after a
 * minute with a word why. */
import { computed, onBeforeUnmount, ref } from 'vue'
import { api, ask } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { useForm } from '@/ui/form'

const props = defineProps<{ runId: string; step: string; from: number; connected: boolean }>()
const emit = defineEmits<{ alone: [why: string]; ticked: [] }>()
const way = ref<'' | 'second' | 'alone'>('')
const now = ref(Date.now())
const timer = setInterval(() => (now.value = Date.now()), 500)
onBeforeUnmount(() => clearInterval(timer))
const left = computed(() => Math.max(0, Math.ceil((props.from - now.value) / 1000)))
const why = ref('')
const {
  values: other,
  faults,
  wrong,
  sending,
  submit,
} = useForm({ name: '', password: '', code: '' }, async (f) => {
  const params = { path: { run_id: props.runId, entry_id: crypto.randomUUID() } }
  await ask(
    api.PUT('/api/runs/{run_id}/entries/{entry_id}/second', {
      params,
      body: { at: new Date().toISOString(), step: props.step, ...f, code: f.code || null },
    }),
  )
  way.value = ''
  emit('ticked')
})
</script>

<template>
  <div class="hold">
    <p>A lead, or somebody else than who did the steps before, ticks this.</p>
    <p class="ways">
      <button
        type="button"
        class="quiet-link"
        :aria-expanded="way === 'second'"
        :disabled="!connected"
        @click="way = way === 'second' ? '' : 'second'">
        Somebody else ticks here
      </button>
      <button
        type="button"
        class="quiet-link"
        :aria-expanded="way === 'alone'"
        @click="way = way === 'alone' ? '' : 'alone'">
        Nobody else is here
      </button>
    </p>
    <form v-if="way === 'second'" class="fields" aria-label="Somebody else ticks here" @submit.prevent="submit">
      <label
        >Their name
        <input v-model="other.name" autocomplete="off" autocapitalize="none" required maxlength="100" /><FieldFault
          :of="faults"
          name="name"
      /></label>
      <label
        >Their password <input v-model="other.password" type="password" autocomplete="off" required maxlength="1000"
      /></label>
      <label v-if="faults.code || other.code"
        >Code of their authenticator <input v-model="other.code" autocomplete="off" maxlength="40" /><FieldFault
          :of="faults"
          name="code"
      /></label>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <button type="submit" class="press" :disabled="sending">I have looked: tick it</button>
      <small class="faded">They sign for this tick only; you stay signed in.</small>
    </form>
    <form
      v-if="way === 'alone'"
      class="fields"
      aria-label="Nobody else is here"
      @submit.prevent="emit('alone', why.trim())">
      <label>Why nobody else looks <input v-model="why" required maxlength="2000" /></label>
      <button type="submit" class="press" :disabled="left > 0 || !why.trim()">
        {{ left > 0 ? `Look at it again: ${left} s` : 'I have looked twice: go on' }}
      </button>
      <small class="faded">It is kept that nobody else looked.</small>
    </form>
  </div>
</template>

<style scoped>
.hold,
form {
  display: grid;
  gap: 6px;
}
.hold p {
  margin: 0;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
}
.press {
  min-height: 44px;
  padding: 0 16px;
  border-radius: 4px;
  background: var(--umber);
  color: var(--on-umber);
  font-weight: 650;
}
.press:disabled {
  background: var(--rule);
  color: var(--faded);
}
</style>

<script setup lang="ts">
/** The authenticator whose code one's own sign-in asks for. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type FactorBegun, type FactorView } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { useForm } from '@/ui/form'
import { usePart } from '@/ui/together'

const known = usePart()
const factor = shallowRef<FactorView>()
const begun = shallowRef<FactorBegun>()
/** Shown once: only their hashes are kept. */
const codes = shallowRef<string[]>([])
const leaving = ref(false)
const wrong = ref('')

async function load(): Promise<void> {
  factor.value = await ask(api.GET('/api/second-factor'))
}
async function begin(): Promise<void> {
  wrong.value = ''
  try {
    begun.value = await ask(api.POST('/api/second-factor'))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
onMounted(() =>
  load()
    .catch((error: unknown) => (wrong.value = wordsOf(error)))
    .finally(known),
)

const {
  values,
  faults,
  wrong: notTaken,
  sending,
  submit,
  clear,
} = useForm({ code: '' }, async (f) => {
  if (leaving.value) await ask(api.POST('/api/second-factor/removal', { body: { ...f } }))
  else codes.value = await ask(api.PUT('/api/second-factor', { body: { ...f } }))
  begun.value = undefined
  leaving.value = false
  clear()
  await load()
})
const picture = computed(
  () =>
    `data:image/svg+xml,${encodeURIComponent(begun.value?.picture.replace('<svg', '<svg xmlns="http://www.w3.org/2000/svg"') ?? '')}`,
)
const inFours = (secret: string) => secret.match(/.{1,4}/g)?.join(' ')
</script>

<template>
  <section class="panel" aria-labelledby="factor-title">
    <h2 id="factor-title">Authenticator</h2>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="codes.length" class="fresh" role="status">
      <p>
        <b>Keep these ten codes where your phone is not.</b> Each signs you in once without it; they are shown this
        once.
      </p>
      <ul class="codes mono">
        <li v-for="c in codes" :key="c">{{ c }}</li>
      </ul>
      <button type="button" class="press slim" @click="codes = []">I have them</button>
    </div>
    <template v-if="factor?.on">
      <p>
        Your sign-in asks for its code.
        <span :class="{ wrong: factor.codes < 3 }">{{ factor.codes }} recovery codes are left.</span>{{ ' ' }}
        <button v-if="!leaving" type="button" class="quiet-link" @click="leaving = true">Remove it</button>
      </p>
    </template>
    <template v-else-if="factor && !begun">
      <p class="faded small">
        With one, a stolen password lets nobody in: sign-in asks for the code that it shows as well.
      </p>
      <button type="button" class="press slim" @click="begin">Add an authenticator</button>
    </template>
    <div v-if="begun" class="begun">
      <img
        :src="picture"
        alt="A code for the authenticator's camera; the same stands beside it in letters"
        width="196"
        height="196" />
      <p>
        Let the authenticator on your phone see this, or type into it <b class="mono">{{ inFours(begun.secret) }}</b>
      </p>
    </div>
    <form v-if="begun || leaving" class="made" @submit.prevent="submit">
      <label
        >{{ leaving ? 'Its code, or a recovery code' : 'The code that it shows now' }}
        <input v-model="values.code" autocomplete="one-time-code" required maxlength="40" class="mono" /><FieldFault
          :of="faults"
          name="code"
      /></label>
      <button type="submit" class="press slim" :disabled="sending || !values.code">
        {{ leaving ? 'Remove it' : 'Ask for it from now on' }}
      </button>
      <button type="button" class="quiet-link" @click="((begun = undefined), (leaving = false))">Cancel</button>
      <p v-if="notTaken" class="wrong" role="alert">{{ notTaken }}</p>
    </form>
  </section>
</template>

<style scoped src="./panels.css"></style>
<style scoped>
p {
  margin: 0 0 8px;
}
.begun {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 20px;
  align-items: center;
  overflow-wrap: anywhere;
}
.begun p {
  flex: 1 1 220px;
}
.codes {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(210px, 1fr));
  gap: 4px 16px;
  margin: 0 0 10px;
  padding: 0;
  list-style: none;
}
.fresh {
  margin-bottom: 10px;
}
.made {
  margin-top: 10px;
}
</style>

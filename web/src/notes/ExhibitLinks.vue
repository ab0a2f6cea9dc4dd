<script setup lang="ts">
/** What is behind a statement or a trial: pictures and documents kept here, pages linked; and putting one there. */
import { ref } from 'vue'
import { api, ask, Refusal, wordsOf, type Exhibit } from '@/api/client'
import { session } from '@/frame/session'

const props = defineProps<{ exhibits: Exhibit[]; of: { statement_id?: string; trial_id?: string }; what: string }>()
const emit = defineEmits<{ changed: [] }>()
const open = ref(false)
const link = ref('')
const wrong = ref('')
const sending = ref(false)

async function send(keep: () => Promise<unknown>): Promise<void> {
  wrong.value = ''
  sending.value = true
  try {
    await keep()
    open.value = false
    link.value = ''
    emit('changed')
  } catch (error) {
    wrong.value =
      error instanceof Refusal && error.problem.errors?.length
        ? error.problem.errors.map((e) => e.message).join(' ')
        : wordsOf(error)
  } finally {
    sending.value = false
  }
}
async function take(event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  if (!file) return
  const body = new FormData()
  body.append('file', file)
  for (const [key, id] of Object.entries(props.of)) if (id) body.append(key, id)
  await send(() =>
    ask(api.POST('/api/exhibits/file', { body: body as never, bodySerializer: (b: unknown) => b as FormData })),
  )
  field.value = ''
}
const address = () =>
  send(() => ask(api.POST('/api/exhibits/link', { body: { ...props.of, link: link.value, name: '' } })))
const remove = (id: string) =>
  send(() => ask(api.DELETE('/api/exhibits/{exhibit_id}', { params: { path: { exhibit_id: id } } })))
</script>

<template>
  <span class="exhibits small">
    <span v-for="x in exhibits" :key="x.id" class="one">
      <a class="quiet-link" :href="x.link || `/api/exhibits/${x.id}`" target="_blank" rel="noopener noreferrer">{{
        x.name
      }}</a>
      <span class="faded"> {{ x.link ? 'linked' : x.is_picture ? 'picture' : 'document' }} by {{ x.by }}</span>
      <button v-if="open" type="button" class="quiet-link" :aria-label="`Take ${x.name} away`" @click="remove(x.id)">
        take away
      </button>
    </span>
    <button
      v-if="session.mayWrite()"
      type="button"
      class="quiet-link"
      :aria-expanded="open"
      :aria-label="`Attach or link what is behind ${what}`"
      @click="open = !open">
      {{ exhibits.length ? 'more' : 'attach or link' }}
    </button>
    <form v-if="open" class="fields put" @submit.prevent="address">
      <label class="quiet-link"
        >A picture or PDF<input
          type="file"
          accept="image/*,application/pdf"
          class="visually-hidden"
          :disabled="sending"
          @change="take"
      /></label>
      <label>or its page <input v-model="link" type="url" maxlength="2000" placeholder="https://" required /></label>
      <button type="submit" class="quiet-link" :disabled="sending || !link.trim()">Link it</button>
      <span v-if="wrong" class="wrong" role="alert">{{ wrong }}</span>
    </form>
  </span>
</template>

<style scoped>
.exhibits {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: baseline;
}
.put {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: end;
}
</style>

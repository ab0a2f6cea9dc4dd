<script setup lang="ts">
/** One intake for whatever a machine reports: dropped, chosen or pasted; what it is, is found from its content. */
import { ref } from 'vue'
import { Refusal, wordsOf, type Intake } from '@/api/client'
import { takeIn } from '@/api/intake'

const emit = defineEmits<{ taken: [intake: Intake]; leave: [] }>()
const pasted = ref('')
const over = ref(false)
const busy = ref(false)
const faults = ref<string[]>([])

async function take(given: File | string | undefined): Promise<void> {
  if (!given) return
  busy.value = true
  faults.value = []
  try {
    emit('taken', await takeIn(given))
  } catch (error) {
    const errors = error instanceof Refusal ? (error.problem.errors ?? []) : []
    faults.value = errors.length ? errors.map((e) => (e.line ? `line ${e.line}: ${e.message}` : e.message)) : [wordsOf(error)]
  } finally {
    busy.value = false
  }
}

function onDrop(event: DragEvent): void {
  over.value = false
  void take(event.dataTransfer?.files[0] ?? event.dataTransfer?.getData('text'))
}
</script>

<template>
  <section class="panel take-in" :class="{ over }" aria-labelledby="take-in-title" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="onDrop">
    <div class="head">
      <h2 id="take-in-title">Survey it again</h2>
      <button type="button" class="quiet-link" @click="$emit('leave')">Leave it</button>
    </div>
    <p class="faded small">Drop the file of its SMBIOS tables here, or paste their listing. Nothing is taken over before you have seen what differs.</p>
    <textarea v-model="pasted" class="mono" rows="6" aria-label="Paste the text listing" placeholder="Memory Device ..."></textarea>
    <p v-for="f in faults" :key="f" class="wrong" role="alert">{{ f }}</p>
    <div class="choices">
      <label class="small">or choose a file <input type="file" @change="take(($event.target as HTMLInputElement).files?.[0])" /></label>
      <v-btn color="primary" :disabled="!pasted.trim() || busy" @click="take(pasted)">Read it</v-btn>
    </div>
  </section>
</template>

<style scoped>
.take-in {
  padding: 12px 18px 16px;
  display: grid;
  gap: 8px;
  align-content: start;
}
.over {
  outline: 2px dashed var(--umber);
  outline-offset: -4px;
}
.head {
  display: flex;
  justify-content: space-between;
}
p {
  margin: 0;
}
textarea {
  width: 100%;
  padding: 8px 10px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
  font-size: 12px;
}
.choices {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 10px;
  flex-wrap: wrap;
}
.wrong {
  color: var(--stop);
}
</style>

<script setup lang="ts">
/** Two machines that are one: which name stays, and what becomes of the rest. */
import { computed, ref } from 'vue'
import { api, ask, faultsOf, type Twins } from '@/api/client'

const props = defineProps<{ machines: Twins['machines'] }>()
const emit = defineEmits<{ merged: [id: string]; leave: [] }>()
const pair = computed(() => props.machines.slice(0, 2))
const kept = ref(props.machines[0]!.id)
const stays = computed(() => pair.value.find((m) => m.id === kept.value)!)
const goes = computed(() => pair.value.find((m) => m.id !== kept.value)!)
const wrong = ref('')
const busy = ref(false)

async function merge(): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    const body = { version: stays.value.version, other: goes.value.id, other_version: goes.value.version }
    await ask(api.POST('/api/machines/{machine_id}/merger', { params: { path: { machine_id: stays.value.id } }, body }))
    emit('merged', stays.value.id)
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <v-dialog :model-value="true" max-width="520" aria-labelledby="merge-title" @update:model-value="$emit('leave')">
    <form class="panel dialog" @submit.prevent="merge">
      <h2 id="merge-title">One machine, made twice</h2>
      <fieldset>
        <legend>Which of them stays?</legend>
        <label v-for="m in pair" :key="m.id"
          ><input v-model="kept" type="radio" name="kept" :value="m.id" /> {{ m.name }}
          <span class="faded">{{ m.sheet_title }}</span></label
        >
      </fieldset>
      <p v-if="machines.length > 2" class="faded small">More than two share it: these first, the others after.</p>
      <p class="small">
        Surveys, plans, runs, statements and history of {{ goes.name }} become those of {{ stays.name }}. A slot that
        only one of them knows is as that one tells; where both tell and contradict, the later report is believed and
        the other stays beside it as disputed. {{ goes.name }} is no more after that.
      </p>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <div class="choices">
        <button type="button" class="press quiet" @click="$emit('leave')">Cancel</button>
        <button class="press" type="submit" :disabled="busy">Put them together</button>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.dialog {
  padding: 20px 24px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 10px 0;
  display: grid;
  gap: 4px;
}
label {
  display: flex;
  gap: 8px;
  align-items: center;
}
label input {
  accent-color: var(--umber);
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
}
</style>

<script setup lang="ts">
/** A machine that was taken for another model: the right sheet, and where each of its slots belongs there. */
import { computed, onMounted, ref, shallowRef } from 'vue'
import { api, ask, faultsOf, type MachineView, type OtherModel, type SheetRow } from '@/api/client'
import { moduleWords } from '@/board/state'
import { plural } from '@/ui/words'

const props = defineProps<{ machine: MachineView }>()
const emit = defineEmits<{ saved: [machine: MachineView]; leave: [] }>()
const sheets = shallowRef<SheetRow[]>([])
const chosen = ref('')
const other = shallowRef<OtherModel>()
const to = ref<Record<string, string>>({})
const wrong = ref('')
const sending = ref(false)

onMounted(async () => {
  try {
    sheets.value = (await ask(api.GET('/api/sheets'))).filter(
      (s) => !s.archetype && s.hash !== props.machine.sheet_hash && s.title !== props.machine.board.title,
    )
  } catch (error) {
    wrong.value = faultsOf(error)
  }
})
async function choose(hash: string): Promise<void> {
  chosen.value = hash
  wrong.value = ''
  other.value = undefined
  if (!hash) return
  try {
    other.value = await ask(
      api.GET('/api/machines/{machine_id}/as/{sheet_hash}', {
        params: { path: { machine_id: props.machine.id, sheet_hash: hash } },
      }),
    )
    to.value = Object.fromEntries(other.value.slots.map((s) => [s.slot, s.to ?? '']))
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
const taken = computed(
  () => new Map(Object.entries(to.value).flatMap(([old, now]) => (now ? [[now, old] as const] : []))),
)
const homeless = computed(() => other.value?.slots.filter((s) => s.is_used && !to.value[s.slot]).length ?? 0)
function words(slot: string): string {
  const here = props.machine.slots[slot]
  return here === undefined ? 'empty' : here === 'unknown' ? 'not known' : moduleWords(here)
}
async function keep(): Promise<void> {
  sending.value = true
  wrong.value = ''
  try {
    const slots = Object.fromEntries(Object.entries(to.value).filter(([, now]) => now))
    const body = { version: props.machine.version, sheet_hash: chosen.value, slots }
    emit(
      'saved',
      await ask(
        api.PUT('/api/machines/{machine_id}/model', { params: { path: { machine_id: props.machine.id } }, body }),
      ),
    )
  } catch (error) {
    wrong.value = faultsOf(error)
  } finally {
    sending.value = false
  }
}
</script>

<template>
  <v-dialog :model-value="true" max-width="680" aria-labelledby="other-title" @update:model-value="$emit('leave')">
    <form class="panel dialog" @submit.prevent="keep">
      <h2 id="other-title">{{ machine.name }} is another model</h2>
      <label class="which">
        It is a
        <select :value="chosen" aria-label="It is a" @change="choose(($event.target as HTMLSelectElement).value)">
          <option value="" disabled>choose its sheet</option>
          <option v-for="s in sheets" :key="s.hash" :value="s.hash">{{ s.title }}</option>
        </select>
      </label>
      <template v-if="other">
        <p v-if="other.plans.length" class="small">
          {{ plural(other.plans.length, 'plan') }} {{ other.plans.length === 1 ? 'goes' : 'go' }} over with it, to be
          approved afresh: {{ other.plans.join(', ') }}.
        </p>
        <p v-if="other.dropped.length" class="small ask">
          Has no meaning there and goes: {{ other.dropped.join(', ') }}.
        </p>
        <div class="list">
          <table class="small" aria-label="Where its slots belong">
            <thead>
              <tr>
                <th scope="col">slot now</th>
                <th scope="col">in it</th>
                <th scope="col">belongs to</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="s in other.slots" :key="s.slot" :class="{ open: s.is_used && !to[s.slot] }">
                <th scope="row" class="mono">{{ s.printed }}</th>
                <td>{{ words(s.slot) }}</td>
                <td>
                  <select v-model="to[s.slot]" :aria-label="`${s.printed} belongs to`">
                    <option value="">none of them</option>
                    <option
                      v-for="p in other.places"
                      :key="p.slot"
                      :value="p.slot"
                      :disabled="taken.has(p.slot) && taken.get(p.slot) !== s.slot">
                      {{ p.printed }}
                    </option>
                  </select>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <p v-if="homeless" class="small ask">
          {{ plural(homeless, 'slot') }} in use {{ homeless === 1 ? 'has' : 'have' }} no place yet.
        </p>
      </template>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <div class="choices">
        <button type="button" class="press quiet" @click="$emit('leave')">Cancel</button>
        <button type="submit" class="press" :disabled="!other || homeless > 0 || sending">
          It is a {{ other?.title ?? '...' }}
        </button>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.dialog {
  display: grid;
  gap: 10px;
  padding: 18px 22px;
}
.which {
  display: flex;
  gap: 10px;
  align-items: center;
}
.list {
  max-height: 46vh;
  overflow: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th,
td {
  text-align: left;
  padding: 3px 10px 3px 4px;
  border-bottom: 1px solid var(--rule);
}
tr.open th {
  border-left: 3px solid var(--ask);
}
select {
  min-height: 30px;
  padding: 2px 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.ask {
  color: var(--ask);
}
p {
  margin: 0;
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 12px;
}
</style>

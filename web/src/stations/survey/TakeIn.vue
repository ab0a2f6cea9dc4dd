<script setup lang="ts">
/** Surveying a machine again: by its kept services, or by whatever it reports. */
import { ref } from 'vue'
import {
  api,
  ask,
  wordsOf,
  type Access,
  type Intake,
  type MachineView,
  type ServiceKind,
  type ServiceView,
} from '@/api/client'
import AskForm from '@/intake/AskForm.vue'
import ReportInput from '@/intake/ReportInput.vue'
import { age } from '@/ui/words'

const props = defineProps<{ machine: MachineView }>()
const emit = defineEmits<{ taken: [intake: Intake]; changed: [machine: MachineView]; leave: [] }>()
const wrong = ref('')
const busy = ref('')
const changing = ref<ServiceView | null>(null)
const SPEAKS: Record<string, string> = { redfish: 'Redfish', snmp: 'SNMP' }
const path = (kind: string) => ({ params: { path: { machine_id: props.machine.id, kind: kind as ServiceKind } } })

async function askKept(kind: string): Promise<void> {
  wrong.value = ''
  busy.value = kind
  try {
    emit('taken', await ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', path(kind))))
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    busy.value = ''
  }
}
/** Keeps how it is asked, then asks. */
async function keepAndAsk(kind: ServiceKind, access: Access): Promise<Intake> {
  emit('changed', await ask(api.PUT('/api/machines/{machine_id}/services/{kind}', { ...path(kind), body: access })))
  return ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', path(kind)))
}
async function change(kind: ServiceKind, access: Access): Promise<void> {
  emit('taken', await keepAndAsk(kind, access))
}
async function forget(kind: string): Promise<void> {
  emit('changed', await ask(api.DELETE('/api/machines/{machine_id}/services/{kind}', path(kind))))
}
</script>

<template>
  <section class="panel take-in" aria-labelledby="take-in-title">
    <div class="head">
      <h2 id="take-in-title">Survey it again</h2>
      <button type="button" class="quiet-link" @click="$emit('leave')">Cancel</button>
    </div>
    <p class="faded small">Nothing is taken over before you have seen what differs.</p>
    <div v-for="s in machine.services" :key="s.kind" class="service">
      <AskForm v-if="changing?.kind === s.kind" :kept="s" :send="change" @leave="changing = null" />
      <template v-else>
        <div>
          {{ SPEAKS[s.kind] }} at <span class="mono address">{{ s.address }}</span>
          <span class="faded small when">{{
            s.asked_at ? (s.trouble ? '' : `answered ${age(s.asked_at)}`) : 'not asked yet'
          }}</span>
        </div>
        <p v-if="s.trouble && !wrong" class="wrong small">{{ s.trouble }}</p>
        <p v-if="s.light_since" class="warn small">
          Its locator light is on by us{{
            s.light_trouble ? `, and could not be switched off: ${s.light_trouble}` : ''
          }}.
        </p>
        <div class="acts">
          <button type="button" class="press slim" :disabled="!!busy" @click="askKept(s.kind)">
            {{ busy === s.kind ? 'Asking it' : 'Ask it now' }}
          </button>
          <button type="button" class="quiet-link" @click="changing = s">Change</button>
          <button type="button" class="quiet-link" @click="forget(s.kind)">Forget</button>
        </div>
      </template>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <ReportInput :ask-by="keepAndAsk" @taken="$emit('taken', $event)" />
  </section>
</template>

<style scoped>
.take-in {
  padding: 12px 18px 16px;
  display: grid;
  gap: 10px;
  align-content: start;
}
.head {
  display: flex;
  justify-content: space-between;
}
p {
  margin: 0;
}
.service {
  padding: 8px 0;
  border: solid var(--rule);
  border-width: 1px 0;
  display: grid;
  gap: 6px;
}
.address {
  overflow-wrap: anywhere;
}
.when {
  display: block;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: center;
}
</style>

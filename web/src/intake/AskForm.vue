<script setup lang="ts">
/** How a machine is asked over the network. A certificate that nobody has trusted is shown before any password goes. */
import { ref } from 'vue'
import { Refusal, type Access, type ServiceKind, type ServiceView } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { useForm } from '@/ui/form'

const props = defineProps<{
  /** Asks with what was entered; what it throws is shown. */
  send: (kind: ServiceKind, access: Access) => Promise<void>
  /** A kept service to change: its secrets stay where nothing is entered. */
  kept?: ServiceView
}>()
defineEmits<{ leave: [] }>()

const kind = ref<ServiceKind>((props.kept?.kind as ServiceKind) ?? 'redfish')
const version = ref<'2c' | '3'>(props.kept?.user ? '3' : '2c')
const offered = ref('')
const blank: Access = {
  address: props.kept?.address ?? '',
  user: props.kept?.user ?? '',
  authority: '',
  fingerprint: props.kept?.fingerprint ?? '',
  authentication: (props.kept?.authentication as Access['authentication']) ?? 'SHA',
  password: '',
  community: '',
  privacy_password: '',
}
const {
  values: access,
  faults,
  wrong,
  sending: busy,
  submit: go,
} = useForm(blank, async (f) => {
  offered.value = ''
  const given =
    kind.value === 'snmp' && version.value === '2c' ? { ...f, user: '', password: '', privacy_password: '' } : { ...f }
  try {
    await props.send(kind.value, given)
  } catch (error) {
    if (!(error instanceof Refusal) || !error.problem.type.endsWith('device-certificate-unknown')) throw error
    offered.value = error.problem.fingerprint ?? ''
  }
})
function trust(): void {
  access.fingerprint = offered.value
  void go()
}
async function authority(event: Event): Promise<void> {
  access.authority = (await (event.target as HTMLInputElement).files?.[0]?.text()) ?? ''
}
const pairs = (hex: string) =>
  hex
    .toUpperCase()
    .match(/.{1,4}/g)
    ?.join(' ')
</script>

<template>
  <form class="fields ask" aria-label="Ask it over the network" @submit.prevent="go">
    <div class="two">
      <label>
        It speaks
        <select v-model="kind" :disabled="!!kept">
          <option value="redfish">Redfish</option>
          <option value="snmp">SNMP</option>
        </select>
      </label>
      <label
        >Address
        <input
          v-model="access.address"
          required
          maxlength="120"
          class="mono"
          :placeholder="kind === 'redfish' ? '10.4.0.7' : '10.4.0.31'" /><FieldFault :of="faults" name="address"
      /></label>
      <template v-if="kind === 'redfish'">
        <label>User <input v-model="access.user" autocomplete="off" maxlength="200" /></label>
        <label
          >Password
          <input
            v-model="access.password"
            type="password"
            autocomplete="off"
            :placeholder="kept ? 'as kept' : ''" /><FieldFault :of="faults" name="password"
        /></label>
      </template>
      <template v-else>
        <label>
          Version
          <select v-model="version">
            <option value="2c">2c, by community</option>
            <option value="3">3, by user</option>
          </select>
        </label>
        <label v-if="version === '2c'"
          >Community
          <input
            v-model="access.community"
            type="password"
            autocomplete="off"
            :placeholder="kept ? 'as kept' : ''" /><FieldFault :of="faults" name="community"
        /></label>
        <template v-else>
          <label>User <input v-model="access.user" autocomplete="off" maxlength="200" /></label>
          <label>
            Its hash
            <select v-model="access.authentication">
              <option v-for="h in ['SHA', 'SHA-224', 'SHA-256', 'SHA-384', 'SHA-512']" :key="h" :value="h">
                {{ h }}
              </option>
            </select>
          </label>
          <label
            >Passphrase
            <input
              v-model="access.password"
              type="password"
              autocomplete="off"
              :placeholder="kept ? 'as kept' : ''" /><FieldFault :of="faults" name="password"
          /></label>
          <label
            >Privacy passphrase (AES)
            <input
              v-model="access.privacy_password"
              type="password"
              autocomplete="off"
              :placeholder="kept ? 'as kept' : ''" /><FieldFault :of="faults" name="privacy_password"
          /></label>
        </template>
      </template>
    </div>
    <label v-if="kind === 'redfish'" class="file"
      >Its authority's certificate, if you have it <input type="file" accept=".pem,.crt,.cer" @change="authority"
    /></label>
    <div v-if="offered" class="trust" role="alert">
      <p>
        Nobody here has trusted its certificate yet. Compare this SHA-256 with the one at the machine; nothing was sent.
      </p>
      <p class="mono print">{{ pairs(offered) }}</p>
      <button type="button" class="press slim" @click="trust">It is the same: trust it and ask</button>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="choices">
      <span v-if="busy" class="faded small" role="status">Asking it; that can take a minute.</span>
      <button type="button" class="quiet-link" @click="$emit('leave')">Cancel</button>
      <button class="press" type="submit" :disabled="busy || !access.address.trim()">Ask it</button>
    </div>
  </form>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 8px;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 8px 12px;
}
.trust {
  border-left: 3px solid var(--ask);
  padding: 4px 0 4px 10px;
}
.trust p {
  margin: 0 0 6px;
}
.print {
  font-size: 13px;
  overflow-wrap: anywhere;
}
.choices {
  display: flex;
  justify-content: flex-end;
  align-items: center;
  gap: 12px;
}
.choices .faded {
  margin-right: auto;
}
p {
  margin: 0;
}
</style>

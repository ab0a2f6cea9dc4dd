<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted } from 'vue'
import { useRoute } from 'vue-router'
import { health } from './api/health'
import ContactEdge from './frame/ContactEdge.vue'
import FindDialog from './frame/FindDialog.vue'
import KeysDialog from './frame/KeysDialog.vue'
import UnsentNote from './frame/UnsentNote.vue'
import WalkStrip from './frame/WalkStrip.vue'
import { watchUnsent } from './frame/outbox'
import { session } from './frame/session'
import { finding, helping, isTyping } from './ui/keys'

const route = useRoute()
const framed = computed(() => session.account !== null && !route.meta.open && !route.meta.bare)

function onKey(event: KeyboardEvent): void {
  if (!session.account || isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return
  if (event.key === '/') finding.value = true
  else if (event.key === '?') helping.value = true
  else return
  event.preventDefault()
}
onMounted(() => addEventListener('keydown', onKey))
watchUnsent()
onBeforeUnmount(() => removeEventListener('keydown', onKey))
</script>

<template>
  <v-app>
    <div class="frame" :class="{ framed }">
      <ContactEdge v-if="framed" />
      <main>
        <div v-if="health.trouble && !route.meta.bare" class="trouble" role="alert">
          <strong>{{ health.trouble }}</strong> Nothing that was saved is lost. Trying again by itself.
        </div>
        <UnsentNote v-if="framed" />
        <WalkStrip v-if="framed" />
        <router-view />
      </main>
    </div>
    <KeysDialog />
    <FindDialog />
  </v-app>
</template>

<style scoped>
.frame {
  min-height: 100vh;
}
.framed {
  display: grid;
  grid-template-columns: 113px minmax(0, 1fr);
}
main {
  min-width: 0;
  min-height: 100vh;
}
.trouble {
  padding: 8px 20px;
  background: var(--stop);
  color: var(--sheet);
}
@media (max-width: 700px) {
  .framed {
    grid-template-columns: minmax(0, 1fr);
    padding-bottom: 62px;
  }
}
</style>

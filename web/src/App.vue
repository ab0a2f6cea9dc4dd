<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { health } from './api/health'
import ContactEdge from './frame/ContactEdge.vue'
import UnsentNote from './frame/UnsentNote.vue'
import { watchUnsent } from './frame/outbox'
import { session } from './frame/session'
import { walk } from './frame/walk'
import { finding, helping, isTyping, typedAhead } from './ui/keys'

// What most pages never show is loaded when it is wanted; the dialogs as soon as somebody does anything, so that a key opens them at once.
const dialogs = { find: () => import('./frame/FindDialog.vue'), keys: () => import('./frame/KeysDialog.vue') }
const FindDialog = defineAsyncComponent(dialogs.find)
const KeysDialog = defineAsyncComponent(dialogs.keys)
const WalkStrip = defineAsyncComponent(() => import('./frame/WalkStrip.vue'))
const [found, helped] = [ref(false), ref(false)]
watch(finding, (open) => (found.value ||= open))
watch(helping, (open) => (helped.value ||= open))
const ACTS = ['pointermove', 'pointerdown', 'keydown'] as const
function preload(): void {
  for (const act of ACTS) removeEventListener(act, preload)
  for (const load of Object.values(dialogs)) void load().catch(() => undefined) // told when it is wanted
}

const route = useRoute()
const framed = computed(() => session.account !== null && !route.meta.open && !route.meta.bare)

function onKey(event: KeyboardEvent): void {
  if (!session.account || isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) return
  if (finding.value && event.key.length === 1) typedAhead.value += event.key
  else if (event.key === '/') finding.value = true
  else if (event.key === '?') helping.value = true
  else return
  event.preventDefault()
}
onMounted(() => {
  addEventListener('keydown', onKey)
  for (const act of ACTS) addEventListener(act, preload, { passive: true })
})
watchUnsent()
onBeforeUnmount(() => {
  removeEventListener('keydown', onKey)
  for (const act of ACTS) removeEventListener(act, preload)
})
</script>

<template>
  <v-app>
    <div class="frame" :class="{ framed }">
      <ContactEdge v-if="framed" />
      <main>
        <WalkStrip v-if="framed && walk.at >= 0" />
        <router-view />
        <!-- at the foot: it comes and goes by itself, and nothing must move from under a press -->
        <div class="told">
          <UnsentNote v-if="framed" />
          <div v-if="health.trouble && !route.meta.bare" class="trouble" role="alert">
            <strong>{{ health.trouble }}</strong> Nothing that was saved is lost. Trying again by itself.
          </div>
        </div>
      </main>
    </div>
    <KeysDialog v-if="helped" />
    <FindDialog v-if="found" />
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
.told {
  position: sticky;
  bottom: 0;
  z-index: 5;
}
.trouble {
  padding: 8px 20px 8px 40px;
  background: var(--stop);
  color: var(--sheet);
}
@media (max-width: 700px) {
  .framed {
    grid-template-columns: minmax(0, 1fr);
    padding-bottom: 62px;
  }
  .told {
    bottom: 62px;
  }
  .trouble {
    padding: 8px 14px;
  }
}
</style>

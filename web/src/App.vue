<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { health } from './api/health'
import Spine from './frame/Spine.vue'
import { session } from './frame/session'

const route = useRoute()
const framed = computed(() => session.account !== null && !route.meta.open && !route.meta.bare)
</script>

<template>
  <v-app>
    <div class="frame" :class="{ framed }">
      <Spine v-if="framed" />
      <main>
        <div v-if="health.trouble && !route.meta.bare" class="trouble" role="alert">
          <strong>{{ health.trouble }}</strong> Nothing that was saved is lost. Trying again by itself.
        </div>
        <router-view />
      </main>
    </div>
  </v-app>
</template>

<style scoped>
.frame {
  min-height: 100vh;
}
.framed {
  display: grid;
  grid-template-columns: 72px minmax(0, 1fr);
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
    grid-template-rows: auto 1fr;
  }
}
</style>

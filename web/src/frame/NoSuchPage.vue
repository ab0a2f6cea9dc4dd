<script setup lang="ts">
import { useTitle } from '@/ui/title'

useTitle(() => 'No such page')
</script>

<template>
  <div class="lost">
    <h1>There is no such page</h1>
    <p>
      The address may be from another version.
      <router-link class="quiet-link" to="/machines">See the machines</router-link>
    </p>
  </div>
</template>

<style scoped>
.lost {
  padding: 40px;
}
</style>

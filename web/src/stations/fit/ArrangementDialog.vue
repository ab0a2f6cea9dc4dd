<script setup lang="ts">
/** A whole rearrangement as proposed: what has to move first, what goes in, what it comes to. Nothing is done yet. */
import { computed } from 'vue'
import type { Arrangement, Board } from '@/api/client'
import { gb } from '@/ui/figures'
import VerdictWord from '@/ui/VerdictWord.vue'
import { plural } from '@/ui/words'
import { actionLines } from './tray'

const props = defineProps<{ title: string; found: Arrangement; board: Board }>()
defineEmits<{ accept: []; leave: [] }>()
const lines = computed(() => actionLines(props.board, props.found.actions))
</script>

<template>
  <v-dialog
    :model-value="true"
    max-width="520"
    aria-labelledby="arrangement-title"
    @update:model-value="$emit('leave')">
    <div class="panel dialog">
      <h2 id="arrangement-title">{{ title }}</h2>
      <p v-if="found.moves" class="first">
        {{ plural(found.moves, 'fitted module') }} must move: this count wants other slots.
      </p>
      <dl>
        <template v-for="line in lines" :key="line.label + line.words">
          <dt>{{ line.label }}</dt>
          <dd>{{ line.words }}</dd>
        </template>
      </dl>
      <p>
        Comes to <strong>{{ gb(found.installed_gib) }} GB</strong> <VerdictWord :of="found" />
      </p>
      <div class="choices">
        <button type="button" class="press quiet" @click="$emit('leave')">Cancel</button>
        <button type="button" class="press" autofocus @click="$emit('accept')">Plan it so</button>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.dialog {
  padding: 20px 24px;
}
.first {
  color: var(--slow);
  font-weight: 600;
}
dl {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr);
  gap: 3px 10px;
  margin: 8px 0;
  font-size: 14px;
  max-height: 260px;
  overflow-y: auto;
}
dt {
  color: var(--faded);
}
dd {
  margin: 0;
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
}
</style>

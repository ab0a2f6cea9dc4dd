<script setup lang="ts">
/** The part of the walk at hand, above the page that it speaks of; left at any step. */
import { ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { parts } from './guide'
import { goTo, walk } from './walk'

const route = useRoute()
const open = ref(true)
/** Somebody came to another page: the part that happens there, where it is the next. */
function cameTo(path: string): void {
  if (parts[walk.at + 1]?.page?.test(path) && !parts[walk.at]?.page?.test(path)) goTo(walk.at + 1)
}
watch(() => route.path, cameTo, { immediate: true })
</script>

<template>
  <section v-if="parts[walk.at]" class="walk" aria-label="First walk">
    <header>
      <span class="faded small">{{ walk.at + 1 }} of {{ parts.length }}</span>
      <b>{{ parts[walk.at]!.title }}</b>
      <span class="presses">
        <button type="button" class="quiet-link" :aria-expanded="open" @click="open = !open">
          {{ open ? 'Less' : 'More' }}
        </button>
        <button v-if="walk.at > 0" type="button" class="quiet-link" @click="goTo(walk.at - 1)">Back</button>
        <button v-if="walk.at + 1 < parts.length" type="button" class="press slim" @click="goTo(walk.at + 1)">
          Next
        </button>
        <button type="button" class="quiet-link" @click="goTo(-1)">
          {{ walk.at + 1 < parts.length ? 'Leave the walk' : 'That was it' }}
        </button>
      </span>
    </header>
    <ol v-if="open">
      <li v-for="(line, i) in parts[walk.at]!.lines" :key="i">
        <template v-for="(p, j) in line" :key="j"
          ><b v-if="p.kind === 'bold'">{{ p.text }}</b
          ><code v-else-if="p.kind === 'typed'">{{ p.text }}</code
          ><template v-else>{{ p.text }}</template></template
        >
      </li>
    </ol>
  </section>
</template>

<style scoped>
.walk {
  padding: 8px 20px 10px;
  border-bottom: 2px solid var(--umber);
  background: var(--sheet);
  font-size: 14px;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: baseline;
}
.presses {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: center;
  margin-left: auto;
}
ol {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(330px, 1fr));
  gap: 2px 28px;
  margin: 4px 0 0;
  padding-left: 20px;
}
code {
  padding: 0 4px;
  background: var(--paper);
  font-family: 'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace;
}
@media (max-width: 700px) {
  .walk {
    padding: 6px 12px 8px;
  }
  ol {
    grid-template-columns: minmax(0, 1fr);
    max-height: 34vh;
    overflow: auto;
  }
}
</style>

<script setup lang="ts">
/** The keys of this view, and those that work everywhere. */
import { goTo } from './walk'
import { helping, shownKeys } from '@/ui/keys'

const EVERYWHERE = [
  { keys: '/', does: 'find machines, plans, sheets, parts, modules by serial' },
  { keys: '?', does: 'this list' },
  { keys: 'Esc', does: 'leave the innermost thing' },
  { keys: 'Tab', does: 'to the next thing that can be pressed or filled in' },
]
</script>

<template>
  <v-dialog :model-value="helping" max-width="560" aria-label="Keys of this view" @update:model-value="helping = false">
    <section class="panel keys">
      <header>
        <h2>Keys</h2>
        <button type="button" class="quiet-link walk" @click="((helping = false), goTo(0))">
          The first walk: ten minutes
        </button>
        <button type="button" class="quiet-link" autofocus @click="helping = false">Close</button>
      </header>
      <section v-for="part in [...shownKeys, { of: 'Everywhere', keys: EVERYWHERE }]" :key="part.of">
        <h3>{{ part.of }}</h3>
        <dl>
          <template v-for="k in part.keys" :key="k.keys"
            ><dt>
              <kbd>{{ k.keys }}</kbd>
            </dt>
            <dd>{{ k.does }}</dd></template
          >
        </dl>
      </section>
    </section>
  </v-dialog>
</template>

<style scoped>
.keys {
  padding: 16px 22px 20px;
  max-height: 86vh;
  overflow-y: auto;
}
header {
  display: flex;
  justify-content: space-between;
}
.walk {
  margin: 0 18px 0 auto;
}
h3 {
  margin: 12px 0 4px;
  font-size: 13px;
  color: var(--faded);
  font-weight: 600;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 3px 16px;
  margin: 0;
}
dd {
  margin: 0;
}
kbd {
  padding: 0 6px;
  border: 1px solid var(--rule);
  border-bottom-width: 2px;
  border-radius: 3px;
  font-family: 'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace;
  font-size: 13px;
}
</style>

<script setup lang="ts">
/** The trace: one thin line with a pad for each station; name above, what it has come to below. It grows out of the contact edge. */
import type { Severity } from '@/api/client'

export interface Pad {
  key: string
  name: string
  state: string
  /** How far it is. */
  fill: 'hollow' | 'half' | 'filled'
  /** What is wrong there: then the pad carries its shape. */
  severity?: Severity | null
}
defineProps<{ pads: Pad[]; base: string; at: string }>()
</script>

<template>
  <nav class="trace" aria-label="Stations" :style="{ '--count': pads.length }">
    <router-link
      v-for="(p, i) in pads"
      :key="p.key"
      class="station"
      :class="{ near: Math.abs(pads.findIndex((x) => x.key === at) - i) <= 1 }"
      :to="`${base}/${p.key}`">
      <strong>{{ p.name }}</strong>
      <svg class="pad" width="28" height="28" viewBox="-14 -14 28 28" aria-hidden="true">
        <circle v-if="p.key === at" r="12.5" class="ring" />
        <g v-if="p.severity && p.severity !== 'note'" :style="{ color: `var(--${p.severity})` }">
          <circle v-if="p.key !== at" r="8.5" class="hollow" />
          <rect v-if="p.severity === 'stop'" x="-4.5" y="-4.5" width="9" height="9" fill="currentColor" />
          <circle v-else-if="p.severity === 'ask'" r="4.2" fill="none" stroke="currentColor" stroke-width="2.2" />
          <path v-else-if="p.severity === 'risk'" d="M0-5.6 5.6 0 0 5.6-5.6 0Z" fill="currentColor" />
          <path v-else d="M-5.4-3.6H5.4L0 5.2Z" fill="currentColor" />
        </g>
        <template v-else>
          <circle r="7" :class="p.fill === 'filled' ? 'full' : 'hollow'" />
          <path v-if="p.fill === 'half'" d="M0-7A7 7 0 0 0 0 7Z" class="full" />
        </template>
      </svg>
      <span
        class="state"
        :style="p.severity && p.severity !== 'note' ? { color: `var(--${p.severity})` } : undefined"
        >{{ p.state }}</span
      >
    </router-link>
  </nav>
</template>

<style scoped>
.trace {
  position: relative;
  display: grid;
  grid-template-columns: repeat(var(--count), minmax(0, 1fr));
  padding-left: 40px;
}
/* From the contact edge to the last pad. */
.trace::before {
  content: '';
  position: absolute;
  left: 0;
  right: calc((100% - 40px) / var(--count) - 8px);
  top: 32px;
  height: 2px;
  background: var(--brass);
}
.station {
  position: relative;
  display: grid;
  grid-template-rows: 20px 24px 20px;
  color: var(--ink);
  text-decoration: none;
  min-width: 0;
}
.station strong {
  font-weight: 500;
  line-height: 20px;
  white-space: nowrap;
}
.pad {
  margin: -2px 0 0 -7px;
  overflow: visible;
}
.state {
  color: var(--faded);
  font-size: 13px;
  line-height: 20px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  padding-right: 8px;
}
.hollow {
  fill: var(--paper);
  stroke: var(--ink);
  stroke-width: 2;
}
.full {
  fill: var(--ink);
  stroke: var(--ink);
  stroke-width: 2;
}
.ring {
  fill: var(--sheet);
  stroke: var(--umber);
  stroke-width: 3;
}
.router-link-active strong,
.router-link-active .state {
  font-weight: 650;
}
.router-link-active .hollow,
.router-link-active .full {
  r: 5px;
  fill: var(--umber);
  stroke: none;
}
.router-link-active .hollow {
  fill: none;
}
.router-link-active path.full {
  display: none;
}
@media (max-width: 700px) {
  .trace {
    grid-template-columns: repeat(var(--count), minmax(44px, 1fr));
    padding: 0 14px 0 18px;
  }
  .trace::before {
    right: 14px;
  }
  /* Their names are for readers alone; the pads are there for every hand. */
  .station:not(.near) strong,
  .station:not(.router-link-active) .state {
    width: 1px;
    overflow: hidden;
    clip-path: inset(50%);
  }
  .station strong {
    font-size: 14px;
  }
  /* What the present one has come to runs on under its neighbours; from the middle on, to the left. */
  .router-link-active .state {
    position: absolute;
    left: 0;
    top: 44px;
    overflow: visible;
    padding: 0;
  }
  .router-link-active:nth-child(n + 5) .state {
    left: auto;
    right: 0;
  }
}
</style>

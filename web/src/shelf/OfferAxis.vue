<script setup lang="ts">
/** Offers of one kind by what a GB of each costs; what is taken stands out. */
import { computed, ref } from 'vue'
import type { BuyingLine } from '@/api/client'
import { scaleOf } from '@/stations/routes/plot'
import { useWidth } from '@/ui/width'

const props = defineProps<{ offers: BuyingLine['offers']; currency: string }>()
const box = ref<HTMLElement>()
const width = useWidth(box, 160)
const scale = computed(() =>
  scaleOf(
    props.offers.map((o) => Number(o.per_gb)),
    10,
    width.value - 44,
    3,
  ),
)
const words = computed(() => props.offers.map((o) => `${o.supplier} ${o.per_gb}${o.taken ? ', taken' : ''}`).join('; '))
</script>

<template>
  <div ref="box">
    <svg :viewBox="`0 0 ${width} 36`" role="img" :aria-label="`A GB costs: ${words}`">
      <line x1="4" :x2="width - 40" y1="20" y2="20" class="axis" />
      <rect
        v-for="o in [...offers].sort((a, b) => Number(a.taken) - Number(b.taken))"
        :key="o.part + o.supplier + o.per_gb"
        :x="scale.at(Number(o.per_gb)) - 3"
        :y="o.taken ? 4 : 8"
        width="6"
        :height="o.taken ? 16 : 12"
        :class="{ taken: o.taken }">
        <title>{{ o.supplier }}, {{ o.part }}: {{ o.per_gb }} a GB</title>
      </rect>
      <text v-for="t in scale.ticks" :key="t" :x="scale.at(t)" y="34" text-anchor="middle">{{ +t.toFixed(2) }}</text>
      <text :x="width" y="24" text-anchor="end">a GB</text>
    </svg>
  </div>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  height: 36px;
}
.axis {
  stroke: var(--rule);
}
rect {
  fill: var(--brass);
}
.taken {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 1.5;
}
text {
  font-size: 11px;
  fill: var(--faded);
}
</style>

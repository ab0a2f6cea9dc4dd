/** What a plan costs and risks, and what more would meet the need: asked again with each change, shown only for the plan as it is. */
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ask, type More, type Worth } from '@/api/client'
import { plural } from '@/ui/words'
import { rangeWords } from '@/ui/belief'
import { troubled } from '@/ui/figures'
import { useAsked } from './asked'
import { money } from './routes/words'

export interface PlanKey {
  id: string
  version: number
  /** What is known of its machine, as far as it tells one state from another: what is said of it changes what a plan risks. */
  machine?: string
}

/** Undefined while it is asked for: figures of another version are not shown. */
export function useWorth(plan: () => PlanKey | null) {
  return useAsked(
    () => keyOf(plan()),
    () => ask(api.GET('/api/plans/{plan_id}/worth', { params: { path: { plan_id: plan()!.id } } })),
  )
}

/** Tells a plan's states apart; '' = there is none. */
export const keyOf = (plan: PlanKey | null): string => (plan ? `${plan.id} ${plan.version} ${plan.machine ?? ''}` : '')

/** After so long without a change somebody looks at what there is. */
const RESTS_MS = 1200

/** What more meets the need; `more` is null where nothing was found, undefined while it is looked for. */
export function useMore(plan: () => PlanKey | null, lacks: () => boolean) {
  const more = shallowRef<More | null>()
  const looking = ref(false)
  watch(
    () => (lacks() ? keyOf(plan()) : ''),
    async (key) => {
      more.value = undefined
      const of = plan()
      looking.value = Boolean(key && of)
      if (!key || !of) return
      // The optimiser is asked once hands rest, not at every module that is put in.
      await new Promise((done) => setTimeout(done, RESTS_MS))
      if (keyOf(plan()) !== key || !lacks()) return
      try {
        const found = await ask(api.GET('/api/plans/{plan_id}/more', { params: { path: { plan_id: of.id } } }))
        if (keyOf(plan()) === key) more.value = found
      } catch {
        more.value = undefined
      } finally {
        if (keyOf(plan()) === key) looking.value = false
      }
    },
    { immediate: true },
  )
  return { more: computed(() => more.value), looking }
}

/** "188.00 EUR, 2 from the Shelf", or that nothing is bought, or what has no price. */
export function costWords(w: Worth): { figure: string; beside: string } {
  const parts = [
    w.from_shelf && `${w.from_shelf} from the Shelf`,
    w.unpriced && `${plural(w.unpriced, 'module')} without a price`,
  ].filter(Boolean)
  if (!w.bought && !w.from_shelf && w.unpriced)
    return { figure: 'not told', beside: `${plural(w.unpriced, 'module')} that nobody offers` }
  return {
    figure: w.bought
      ? `${w.unpriced ? 'from ' : ''}${money(w.cost, w.currency)}`
      : w.unpriced
        ? 'not told'
        : 'nothing to buy',
    beside: parts.join(', '),
  }
}

/** What the cost and the trouble were reckoned with, where a module's own part is not told; '' where all are. */
export function likeWords(w: Worth): string {
  const like = Object.keys(w.stand_ins)
  return like.length ? `Reckoned as ${like.join(', ')}: the part number of what is planned is not told.` : ''
}

/** A probability with how low and how high it comes to; what is open counts in it as a fact that nobody tells, and what is not known
 * to be there is left out. */
export function troubleWords(
  w: Pick<Worth, 'trouble' | 'trouble_range' | 'rests_on'>,
  open: boolean,
  left_out: number,
): { figure: string; beside: string } {
  if (!w.trouble)
    return open
      ? { figure: 'not told', beside: 'while something is open' }
      : { figure: 'none', beside: 'nothing new comes in' }
  return {
    figure: troubled(w.trouble, left_out),
    beside: left_out
      ? 'what is not known there may add to it'
      : `${rangeWords(w.trouble_range)}${w.rests_on.length ? '' : ', as of anything new'}`,
  }
}

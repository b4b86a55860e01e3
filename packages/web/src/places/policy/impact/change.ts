import { refDebounced } from '@vueuse/core'
import { computed, ref, watch, type Ref } from 'vue'
import type { Impact, PolicyChanged } from '#contract'
import type { PolicyStep } from '#core'
import { api, type ApiError } from '../../../parts/data/api'

export interface PendingChange {
  /** Null: there is nothing to save, or it was not counted yet. */
  impact: Ref<Impact | null>
  /** What stands in `impact` is of the change as it was a moment ago; another count is under way, or about to be. */
  counting: Readonly<Ref<boolean>>
  fault: Ref<string>
  /** What is wrong, by the field it is about. */
  faults: Ref<{ at: string; message: string }[]>
  busy: Ref<boolean>
  /**
   * The problem's code when it could not be saved, else null; `effect-changed` when it would do something else than was
   * shown.
   */
  save(): Promise<{ ids: number[] } | { code: string }>
}

/** A change of policy while it is made: what it would do is counted anew whenever it rests for a moment. */
export function usePolicyChange(steps: Ref<readonly PolicyStep[] | null>): PendingChange {
  const impact = ref<Impact | null>(null)
  const fault = ref('')
  const faults = ref<{ at: string; message: string }[]>([])
  const busy = ref(false)
  let turn = 0
  /** The steps that `impact`, or `fault`, is of. */
  const counted = ref('')
  const counting = computed(() => Boolean(steps.value?.length) && JSON.stringify(steps.value) !== counted.value)
  const ask = (wanted: readonly PolicyStep[]) => api.post<Impact>('/policy/impact', { steps: wanted })
  const show = (found: Impact | null, of = '') => {
    turn++
    impact.value = found
    counted.value = of
  }
  const refuse = (problem: ApiError) => {
    fault.value = problem.message
    faults.value = problem.problem.faults ?? []
  }
  watch(
    refDebounced(steps, 200),
    async (wanted) => {
      const text = JSON.stringify(wanted)
      if (impact.value && text === counted.value) return show(impact.value, text)
      fault.value = ''
      faults.value = []
      if (!wanted?.length) return show(null)
      const mine = ++turn
      try {
        const found = await ask(wanted)
        if (mine === turn) show(found, text)
      } catch (problem) {
        if (mine !== turn) return
        show(null, text)
        refuse(problem as ApiError)
      }
    },
    { immediate: true, deep: true },
  )

  /** Whoever saves before the newest count has come must not get anything else than what they saw. */
  async function doesWhatWasShown(wanted: readonly PolicyStep[]): Promise<boolean> {
    const text = JSON.stringify(wanted)
    if (impact.value && text === counted.value) return true
    const seen = JSON.stringify(impact.value)
    const found = await ask(wanted)
    show(found, text)
    if (JSON.stringify(found) === seen) return true
    fault.value = 'What this would do has changed a moment ago. Read it, then save again.'
    return false
  }
  return {
    impact,
    counting,
    fault,
    faults,
    busy,
    async save() {
      const wanted = steps.value ?? []
      busy.value = true
      try {
        return (await doesWhatWasShown(wanted))
          ? await api.post<PolicyChanged>('/policy/changes', { steps: wanted })
          : { code: 'effect-changed' }
      } catch (problem) {
        refuse(problem as ApiError)
        return { code: (problem as ApiError).problem.code }
      } finally {
        busy.value = false
      }
    },
  }
}

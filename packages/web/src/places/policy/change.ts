import { refDebounced } from '@vueuse/core'
import { ref, watch, type Ref } from 'vue'
import type { Impact, PolicyChanged } from '#contract'
import type { PolicyStep } from '#core'
import { api, type ApiError } from '../../parts/api'

export interface PendingChange {
  /** Null: there is nothing to save, or it is being counted. */
  impact: Ref<Impact | null>
  fault: Ref<string>
  /** What is wrong, by the field it is about. */
  faults: Ref<{ at: string; message: string }[]>
  busy: Ref<boolean>
  /** The problem's code when it could not be saved, else null. */
  save(): Promise<{ ids: number[] } | { code: string }>
}

/** A change of policy while it is made: what it would do is counted anew whenever it rests for a moment. */
export function usePolicyChange(steps: Ref<readonly PolicyStep[] | null>): PendingChange {
  const impact = ref<Impact | null>(null)
  const fault = ref('')
  const faults = ref<{ at: string; message: string }[]>([])
  const busy = ref(false)
  let turn = 0
  const refuse = (problem: ApiError) => {
    fault.value = problem.message
    faults.value = problem.problem.faults ?? []
  }
  watch(refDebounced(steps, 200), async (wanted) => {
    const mine = ++turn
    fault.value = ''
    faults.value = []
    impact.value = null
    if (!wanted?.length) return
    try {
      const answer = await api.post<Impact>('/policy/impact', { steps: wanted })
      if (mine === turn) impact.value = answer
    } catch (problem) {
      if (mine === turn) refuse(problem as ApiError)
    }
  }, { immediate: true, deep: true })
  return {
    impact, fault, faults, busy,
    async save() {
      busy.value = true
      try {
        return await api.post<PolicyChanged>('/policy/changes', { steps: steps.value })
      } catch (problem) {
        refuse(problem as ApiError)
        return { code: (problem as ApiError).problem.code }
      } finally {
        busy.value = false
      }
    },
  }
}

import { computed, type Ref, type WritableComputedRef } from 'vue'
import { useAddressed } from '../../../parts/data/addressed'

/** The run that is looked at: it stands in the address, so that it can be sent and found again; else the newest. */
export function useChosenRun(
  runs: Readonly<Ref<readonly { id: number }[] | null>>,
): WritableComputedRef<number | null> {
  const run = useAddressed('run')
  return computed({
    get: () => (/^\d{1,9}$/.test(run.value) ? Number(run.value) : (runs.value?.[0]?.id ?? null)),
    set: (id) => {
      run.value = id === null ? '' : String(id)
    },
  })
}

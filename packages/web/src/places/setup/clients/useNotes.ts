import { onMounted, ref, type Ref } from 'vue'
import type { ClientDetail } from '#contract'
import type { ClientId } from '#core'
import { api } from '../../../parts/data/api'
import { attempt } from '../../../parts/ui/notify'

/**
 * The notes of a client or site as they stand, to be changed in a form.
 * @param of null: of something new, which has none
 * @param pick the notes that are meant
 */
export function useNotes(
  of: ClientId | null,
  pick: (detail: ClientDetail) => string,
): { notes: Ref<string>; isChanged(): boolean; isRead: Ref<boolean> } {
  const notes = ref('')
  const isRead = ref(of === null)
  let before = ''
  onMounted(async () => {
    const detail = of === null ? null : await attempt(() => api.get<ClientDetail>(`/clients/${of}`))
    if (!detail) return
    before = pick(detail)
    notes.value = before
    isRead.value = true
  })
  return { notes, isRead, isChanged: () => isRead.value && notes.value !== before }
}

import { ref, shallowRef, watch, type Ref, type ShallowRef, type WatchSource } from 'vue'
import type { ApiError } from './api'

export interface Answer<Question, Answered> {
  /** Null: nothing was asked, or the last question was refused. An older one stands until the newer one has come. */
  answer: ShallowRef<Answered | null>
  /** Why the last question was refused. */
  error: ShallowRef<ApiError | null>
  /** The question that `answer` or `error` is to; null before the first one came. */
  answered: ShallowRef<Question | null>
  /** A newer question is waiting to be asked, or for its answer. */
  asking: Readonly<Ref<boolean>>
}

/**
 * What the server says to what somebody is typing. It is asked when they rest, and an answer that was overtaken by a
 * newer question is dropped, in whatever order the answers come.
 * @param ask null where there is nothing to ask; then there is no answer either
 * @param rest how long a question must stand before it is asked, in milliseconds; the first one is asked at once
 */
export function useAnswer<Question, Answered>(
  question: WatchSource<Question>,
  ask: (question: Question) => Promise<Answered> | null,
  { rest = 150 }: { rest?: number } = {},
): Answer<Question, Answered> {
  const answer = shallowRef<Answered | null>(null)
  const error = shallowRef<ApiError | null>(null)
  const answered = shallowRef<Question | null>(null)
  const asking = ref(false)
  let turn = 0
  const show = (of: Question, found: Answered | null, problem: ApiError | null) => {
    answer.value = found
    error.value = problem
    answered.value = of
    asking.value = false
  }
  async function put(asked: Question, mine: number): Promise<void> {
    try {
      const found = await ask(asked)
      if (mine === turn) show(asked, found, null)
    } catch (problem) {
      if (mine === turn) show(asked, null, problem as ApiError)
    }
  }
  let isFirst = true
  watch(
    question,
    (asked, _before, onCleanup) => {
      const mine = ++turn
      asking.value = true
      if (isFirst || rest === 0) void put(asked, mine)
      else {
        const timer = setTimeout(() => void put(asked, mine), rest)
        onCleanup(() => {
          clearTimeout(timer)
        })
      }
      isFirst = false
    },
    { immediate: true, deep: true },
  )
  return { answer, error, answered, asking }
}

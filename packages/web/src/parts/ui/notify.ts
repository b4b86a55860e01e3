import { ElMessage } from 'element-plus/es/components/message/index'
import 'element-plus/es/components/message/style/css'
import { h } from 'vue'
import { ApiError } from '../data/api'

/** Says in a line at the top what was done. */
export function done(text: string): void {
  ElMessage({ message: text, duration: 3500, grouping: true })
}

/** Says what was done, with a way back for some seconds. */
export function undoable(text: string, undo: () => void): void {
  const message = ElMessage({
    message: h('span', [
      `${text} `,
      h(
        'button',
        {
          class: 'link',
          onClick: () => {
            message.close()
            undo()
          },
        },
        'Undo',
      ),
    ]),
    duration: 12_000,
    showClose: true,
  })
}

/** Says in a line at the top what the server refused, in its words. */
export function refused(error: Pick<ApiError, 'message'>): void {
  ElMessage({ message: error.message, duration: 8000, showClose: true })
}

/** Runs an action; a refusal is said in the server's words and the action's result is null. */
export async function attempt<T>(work: () => Promise<T>): Promise<T | null> {
  try {
    return await work()
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    refused(error)
    return null
  }
}

import { ElMessageBox } from 'element-plus/es/components/message-box/index'
import 'element-plus/es/components/message-box/style/css'

/**
 * Asks before something is lost.
 * @param action what the button that goes on is called
 * @returns whether to go on
 */
export async function confirmed(question: string, action: string): Promise<boolean> {
  try {
    await ElMessageBox.confirm(question, { confirmButtonText: action, cancelButtonText: 'Cancel', autofocus: true })
    return true
  } catch {
    return false
  }
}

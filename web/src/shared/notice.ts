import { ElMessage } from 'element-plus'

/** A sentence about something that went wrong; stays until it was read. */
export function tellTrouble(message: string): void {
  ElMessage({ message, type: 'error', duration: 9000, showClose: true, grouping: true })
}

/** A sentence about something that was done. */
export function tell(message: string): void {
  ElMessage({ message, type: 'success', duration: 3500, grouping: true })
}

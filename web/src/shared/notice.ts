import { ElMessage } from 'element-plus'

/** Above the listen bar: what is said never covers undo, which may be what one wants next. */
const PLACE = { placement: 'bottom', offset: 92 } as const

/** A sentence about something that went wrong; stays until it was read. */
export function tellTrouble(message: string): void {
  ElMessage({ message, type: 'error', duration: 9000, showClose: true, grouping: true, ...PLACE })
}

/** A sentence about something that was done. */
export function tell(message: string): void {
  ElMessage({ message, type: 'success', duration: 3500, grouping: true, ...PLACE })
}

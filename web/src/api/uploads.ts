import { Upload as Tus } from 'tus-js-client'
import { ApiError } from './client'

/** One file on its way. */
export interface Sending {
  /** The job that reads it, once all of it has arrived. */
  done: Promise<string>
  cancel: () => void
}

/** Announces a file, so that the check waits for it; gives the address its bytes go to. */
export async function announce(session: string, file: File, chosenAt: number): Promise<string> {
  const base64 = (text: string) => btoa(String.fromCharCode(...new TextEncoder().encode(text)))
  const headers = {
    'Tus-Resumable': '1.0.0',
    'Upload-Length': String(file.size),
    'Upload-Metadata': `filename ${base64(file.name)},at ${base64(String(chosenAt))}`,
  }
  let answer: Response
  try {
    answer = await fetch(`/api/sessions/${session}/uploads`, { method: 'POST', headers })
  } catch {
    throw new ApiError('The server cannot be reached; the file waits.', 0)
  }
  if (!answer.ok) throw new ApiError(await said(answer), answer.status)
  return answer.headers.get('Location') ?? ''
}

/** Gives an announced file up. */
export async function forget(address: string): Promise<void> {
  await fetch(address, { method: 'DELETE', headers: { 'Tus-Resumable': '1.0.0' } })
}

async function said(answer: Response): Promise<string> {
  try {
    return ((await answer.json()) as { message: string }).message
  } catch {
    return `The server answered ${answer.status}.`
  }
}

/** Pauses in milliseconds between tries: a server that is being restarted is waited for, ten minutes in all. */
const PAUSES = [200, 500, 1000, 2000, ...Array<number>(200).fill(3000)]

/** Sends what is missing of an announced file, and goes on where it stopped when the line or the server was away. */
export function send(address: string, file: File, progress: (part: number) => void, waiting: (is: boolean) => void): Sending {
  let upload: Tus | null = null
  const done = new Promise<string>((resolve, reject) => {
    upload = new Tus(file, {
      uploadUrl: address,
      retryDelays: PAUSES,
      storeFingerprintForResuming: false,
      onProgress: (sent, total) => {
        waiting(false)
        progress(sent / Math.max(total, 1))
      },
      onShouldRetry: (e) => {
        const status = e.originalResponse?.getStatus() ?? 0
        // The server is away, or still reads from the line that was lost.
        const again = status === 0 || status === 409 || status === 423 || status === 502 || status === 503 || status === 504
        if (again) waiting(true)
        return again
      },
      onSuccess: ({ lastResponse }) => resolve(lastResponse.getHeader('Upload-Job') ?? ''),
      onError: (e) => {
        const response = 'originalResponse' in e ? e.originalResponse : null
        let message = `“${file.name}” could not be sent; the connection broke off. Choose it again to go on.`
        try {
          message = (JSON.parse(response?.getBody() ?? '') as { message: string }).message
        } catch {
          // Not our server's words; the sentence above has to do.
        }
        reject(new ApiError(message, response?.getStatus() ?? 0))
      },
    })
    upload.start()
  })
  return { done, cancel: () => void upload?.abort() }
}

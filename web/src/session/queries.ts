import { QueryClient } from '@tanstack/vue-query'

/** What the page has read from the server. The server says when something changed; nothing is asked for again by itself, and a
 * refusal is told at once. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: { staleTime: Infinity, retry: false, refetchOnWindowFocus: false, refetchOnReconnect: false, networkMode: 'always' },
  },
})

/** Everything read of a session is read again where it is shown. */
export function readAgain(session: string): void {
  void queryClient.invalidateQueries({ queryKey: [session] })
}

import { QueryClient } from '@tanstack/vue-query'

/** How often a question is asked again whose answer was that the database is away, a little later each time. */
const AWAY_TRIES = 5
const away = (tries: number, error: Error) => tries < AWAY_TRIES && (error as { status?: number }).status === 503

/** What the page has read from the server. The server says when something changed; nothing is asked for again by itself, and a
 * refusal is told at once. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: { staleTime: Infinity, retry: away, refetchOnWindowFocus: false, refetchOnReconnect: false, networkMode: 'always' },
  },
})

/** Everything read of a session is read again where it is shown. */
export function readAgain(session: string): void {
  void queryClient.invalidateQueries({ queryKey: [session] })
}

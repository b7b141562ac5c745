import { QueryCache, QueryClient } from '@tanstack/vue-query'
import { ApiError } from '@/api/client'

/** Answers are kept for a while, and asked for again whenever they are shown anew. */
export function queryClient(): QueryClient {
  return new QueryClient({
    queryCache: new QueryCache({
      // What the server refused is shown where it was asked for; anything else is a mistake of ours.
      onError: (error) => {
        if (!(error instanceof ApiError)) console.error(error)
      },
    }),
    defaultOptions: {
      queries: { retry: false, refetchOnWindowFocus: false, networkMode: 'always' },
    },
  })
}

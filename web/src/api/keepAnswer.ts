import type { QueryClient, QueryKey } from "@tanstack/react-query";

/**
 * Show what a change answered. A reading on its way may have been begun before the change: it is
 * dropped and made again, so that it never covers the answer.
 */
export async function keepAnswer(queryClient: QueryClient, queryKey: QueryKey, answer: unknown) {
  const exactly = { queryKey, exact: true };
  const reading = queryClient.isFetching(exactly) > 0;
  await queryClient.cancelQueries(exactly);
  queryClient.setQueryData(queryKey, answer);
  if (reading) queryClient.invalidateQueries(exactly);
}

/** Show a change before it is answered. A reading on its way does not know of it, and is dropped. */
export async function keepChange(queryClient: QueryClient, queryKey: QueryKey, change: unknown) {
  await queryClient.cancelQueries({ queryKey, exact: true });
  queryClient.setQueryData(queryKey, change);
}

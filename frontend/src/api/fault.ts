import type { Ref } from "vue";

/**
 * Why there is nothing to show. What was fetched once stays on the screen when fetching it anew fails: an editor, an
 * answer or a talk is never taken away by a lost connection.
 */
export function faultOf(query: { data: Readonly<Ref<unknown>>; error: Readonly<Ref<Error | null>> }): Error | null {
  return query.data.value === undefined ? query.error.value : null;
}

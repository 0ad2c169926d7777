import { useId } from "react";

/** An id for a clip path or mask that no other chart on the page has. */
export function useMarkId(name: string) {
  return `${name}-${useId().replaceAll(":", "")}`;
}

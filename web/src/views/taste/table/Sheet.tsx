import type { ReactNode } from "react";

/** The page of a phone at a tasting: no bench, no rail. */
export function Sheet({ children }: { children: ReactNode }) {
  return (
    <main className="mx-auto flex min-h-dvh max-w-[560px] flex-col px-4 py-4">{children}</main>
  );
}

import type { ReactNode } from "react";
import { styles } from "./styles";

/** A framed part of a page under its name. */
export function Panel({ name, children }: { name: string; children: ReactNode }) {
  return (
    <section className={styles.part} aria-label={name}>
      <h3>{name}</h3>
      {children}
    </section>
  );
}

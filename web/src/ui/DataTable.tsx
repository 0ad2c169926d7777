import type { ReactNode } from "react";
import { cn } from "./styles";

export interface Line {
  name: ReactNode;
  cells: readonly ReactNode[];
  className?: string | undefined;
  /** Told apart by a name of its own, where two lines may have the same. */
  id?: string | number;
  [data: `data-${string}`]: string | number | boolean | undefined;
}

/** Figures in lines and columns: a head for each column, a name for each line. */
export function DataTable(props: {
  /** What the names are, for who hears the table; shown where `shown`. */
  what: string;
  shown?: boolean;
  heads?: readonly ReactNode[];
  lines?: readonly Line[];
  /** Lines in groups, each under a rule. */
  groups?: readonly (readonly Line[])[];
  className: string;
}) {
  const { what, shown = false, heads, lines = [], groups = [lines], className } = props;
  return (
    <table className={className}>
      {heads && (
        <thead>
          <tr>
            <th scope="col">{shown ? what : <span className="sr-only">{what}</span>}</th>
            {heads.map((head, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the columns are fixed
              <th key={i} scope="col">
                {head}
              </th>
            ))}
          </tr>
        </thead>
      )}
      {groups.map((group, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the groups are fixed
        <tbody key={i} className={cn(groups.length > 1 && "border-t-2 border-rule")}>
          {group.map(({ name, cells, id, ...rest }) => (
            <tr key={id ?? String(name)} {...rest}>
              <th scope="row">{name}</th>
              {cells.map((cell, column) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: the columns are fixed
                <td key={column}>{cell}</td>
              ))}
            </tr>
          ))}
        </tbody>
      ))}
    </table>
  );
}

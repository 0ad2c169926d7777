import type { Taught } from "../../api/client";
import { DataTable } from "../../ui/DataTable";
import { Panel } from "../../ui/Panel";

const SAID = {
  preparations: {
    name: "Ways of preparing",
    what: "Preparation",
    head: "uneven",
    words: "How unevenly water went through, of what is assumed of any puck.",
    alone: "A second way, three shots or more, is set beside it.",
  },
  baskets: {
    name: "Baskets",
    what: "Basket",
    head: "lets through",
    words: "How easily water went through, of what is assumed of the coffee in a basket so shaped.",
    alone: "",
  },
} as const;

/** What each way of preparing, or each basket, did, side by side. */
export function Variants({ taught, of }: { taught: Taught; of: keyof typeof SAID }) {
  const { variants, comparisons } = taught[of];
  const { name, what, head, words, alone } = SAID[of];
  // One basket alone is nothing to tell: its share is the coffee's.
  if (variants.length === 0 || (variants.length === 1 && alone === "")) return null;
  return (
    <Panel name={name}>
      <DataTable
        what={what}
        shown
        heads={["shots", head, "8 in 10"]}
        className="w-full [&_tbody_th]:py-1 [&_td]:text-right [&_td]:tabular-nums [&_td]:whitespace-nowrap [&_th]:text-left [&_th]:font-normal [&_thead]:text-small [&_thead]:text-quiet [&_thead_th:not(:first-child)]:text-right [&_td]:pl-2 [&_thead_th:not(:first-child)]:pl-2"
        lines={variants.map(({ name, shots, pct }) => ({
          id: name,
          name,
          "data-variant": name,
          cells: [
            String(shots),
            `${pct.value.toFixed(0)} %`,
            `${pct.low.toFixed(0)} to ${pct.high.toFixed(0)} %`,
          ],
        }))}
      />
      <p className="text-quiet">
        {words}
        {variants.length === 1 && ` ${alone}`}
      </p>
      {comparisons.map((told) => (
        <p key={told} data-part="comparison">
          {told}
        </p>
      ))}
    </Panel>
  );
}

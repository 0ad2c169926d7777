import type { Taught } from "../../api/client";
import { DataTable } from "../../ui/DataTable";
import { Panel } from "../../ui/Panel";

/** How even the pucks of each way of preparing were, side by side. */
export function Preparations({ taught }: { taught: Taught }) {
  const { preparations, apart } = taught;
  if (preparations.length === 0) return null;
  return (
    <Panel name="Ways of preparing">
      <DataTable
        what="Preparation"
        shown
        heads={["shots", "uneven", "8 in 10"]}
        className="w-full [&_tbody_th]:py-1 [&_td]:text-right [&_td]:tabular-nums [&_td]:whitespace-nowrap [&_th]:text-left [&_th]:font-normal [&_thead]:text-small [&_thead]:text-quiet [&_thead_th:not(:first-child)]:text-right [&_td]:pl-2 [&_thead_th:not(:first-child)]:pl-2"
        lines={preparations.map(({ preparation, shots, uneven_pct }) => ({
          id: preparation,
          name: preparation,
          "data-preparation": preparation,
          cells: [
            String(shots),
            `${uneven_pct.value.toFixed(0)} %`,
            `${uneven_pct.low.toFixed(0)} to ${uneven_pct.high.toFixed(0)} %`,
          ],
        }))}
      />
      <p className="text-quiet">
        How unevenly water went through, of what is assumed of any puck.
        {preparations.length === 1 && " A second way, three shots or more, is set beside it."}
      </p>
      {apart.map((words) => (
        <p key={words} data-part="apart">
          {words}
        </p>
      ))}
    </Panel>
  );
}

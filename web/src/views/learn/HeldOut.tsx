import type { Scores, Taught } from "../../api/client";
import { DataTable } from "../../ui/DataTable";
import { Panel } from "../../ui/Panel";

const RIVALS = {
  permeability: "only the permeability",
  last_time: "as last time",
  nothing: "without learning",
} as const;

const FIGURES = [
  { name: "shot time", words: (one: Scores) => inUnit(one.time_pct, " %") },
  { name: "first drip", words: (one: Scores) => inUnit(one.first_drip_s, " s") },
  { name: "peak", words: (one: Scores) => inUnit(one.peak_bar, " bar") },
  { name: "extraction", words: (one: Scores) => inUnit(one.ey_points, " points") },
  {
    name: "within range",
    words: (one: Scores) => (one.coverage === null ? "" : `${(100 * one.coverage).toFixed(0)} %`),
  },
];

/** How shots that were left out are predicted: by what was learnt, and by its rivals. */
export function HeldOut({ taught }: { taught: Taught }) {
  if (!taught.held_out) return null;
  const all = [taught.held_out, ...Object.values(taught.rivals)];
  const figures = FIGURES.filter((one) => all.some((scores) => one.words(scores) !== ""));
  const line = (id: string, name: string, scores: Scores, own = false) => ({
    id,
    name: own ? <b>{name}</b> : name,
    "data-rival": id,
    cells: figures.map((one) => one.words(scores)),
  });
  const rivals = Object.entries(RIVALS).flatMap(([key, words]) => {
    const scores = taught.rivals[key];
    return scores ? [line(key, words, scores)] : [];
  });
  return (
    <Panel name="Tested on shots that were left out">
      <DataTable
        what="Median error with"
        shown
        heads={figures.map((one) => one.name)}
        className="w-full [&_tbody_th]:py-1 [&_td]:text-right [&_td]:tabular-nums [&_td]:whitespace-nowrap [&_th]:text-left [&_th]:font-normal [&_thead]:text-small [&_thead]:text-quiet [&_thead_th:not(:first-child)]:text-right [&_td]:pl-2 [&_thead_th:not(:first-child)]:pl-2"
        lines={[line("own", "what was learnt", taught.held_out, true), ...rivals]}
      />
      {rivals.length === 0 && (
        <p className="text-quiet">From three shots on it is tested against three rivals.</p>
      )}
    </Panel>
  );
}

function inUnit(value: number | null, unit: string) {
  return value === null ? "" : `${value.toFixed(1)}${unit}`;
}

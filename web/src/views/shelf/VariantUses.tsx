import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { variantUsedQuery } from "../../api/queries";
import { ErrorNote } from "../../ui/Messages";
import { Panel } from "../../ui/Panel";

const SAID = {
  preparation: {
    none: "No shot was prepared so yet.",
    pct: "of the unevenness that is assumed",
  },
  basket: {
    none: "No shot was pulled in it yet.",
    pct: "of the water that is assumed to pass such a coffee in a basket so shaped",
  },
} as const;

/** With which coffees a preparation or a basket was used, and what was learnt of it. */
export function VariantUses({ of: kind, id }: { of: keyof typeof SAID; id: number }) {
  const { data, error, isPending } = useQuery(variantUsedQuery(kind, id));
  return (
    <Panel name="What came of it">
      {error && <ErrorNote error={error} />}
      {isPending && (
        <p role="status" className="text-quiet">
          Reading it
        </p>
      )}
      {data?.length === 0 && <p className="text-quiet">{SAID[kind].none}</p>}
      <ul className="grid gap-1.5">
        {data?.map(({ of, pct, comparisons }) => (
          <li key={`${of.coffee_id} ${of.grinder_id} ${of.machine_id}`}>
            <Link
              className="text-action underline underline-offset-2"
              to={`/shelf/learnt/${of.coffee_id}/${of.grinder_id}/${of.machine_id}`}
            >
              {of.coffee} by {of.grinder} on {of.machine}
            </Link>
            , {of.shots === 1 ? "1 shot" : `${of.shots} shots`}
            {pct && (
              <>
                : <b className="tabular-nums">{pct.value.toFixed(0)} %</b> {SAID[kind].pct}, 8 in 10
                between {pct.low.toFixed(0)} and {pct.high.toFixed(0)} %
              </>
            )}
            {comparisons.map((words) => (
              <span key={words} className="block text-quiet">
                {words}
              </span>
            ))}
          </li>
        ))}
      </ul>
    </Panel>
  );
}

import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { preparationUsedQuery } from "../../api/queries";
import { ErrorNote } from "../../ui/Messages";
import { Panel } from "../../ui/Panel";

/** With which coffees a preparation was used, and how even its pucks were. */
export function PreparationUses({ id }: { id: number }) {
  const { data, error, isPending } = useQuery(preparationUsedQuery(id));
  return (
    <Panel name="What came of it">
      {error && <ErrorNote error={error} />}
      {isPending && (
        <p role="status" className="text-quiet">
          Reading it
        </p>
      )}
      {data?.length === 0 && <p className="text-quiet">No shot was prepared so yet.</p>}
      <ul className="grid gap-1.5">
        {data?.map(({ of, uneven_pct, apart }) => (
          <li key={`${of.coffee_id} ${of.grinder_id} ${of.machine_id}`}>
            <Link
              className="text-action underline underline-offset-2"
              to={`/shelf/learnt/${of.coffee_id}/${of.grinder_id}/${of.machine_id}`}
            >
              {of.coffee} by {of.grinder} on {of.machine}
            </Link>
            , {of.shots === 1 ? "1 shot" : `${of.shots} shots`}
            {uneven_pct && (
              <>
                : <b className="tabular-nums">{uneven_pct.value.toFixed(0)} %</b> of the unevenness
                that is assumed, 8 in 10 between {uneven_pct.low.toFixed(0)} and{" "}
                {uneven_pct.high.toFixed(0)} %
              </>
            )}
            {apart.map((words) => (
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

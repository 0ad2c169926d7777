import { Link } from "react-router";
import type { Taught } from "../../api/client";
import { moment } from "../../ui/format";
import { Panel } from "../../ui/Panel";

/** Which shots counted, which did not and why, and which ran unlike the others. */
export function CountedShots({ shots }: { shots: Taught["shots"] }) {
  if (shots.length === 0) return null;
  const counted = shots.filter((one) => one.because === null).length;
  return (
    <Panel name={counted === 1 ? "1 shot counted" : `${counted} shots counted`}>
      <ul className="grid gap-1.5">
        {shots.map((one) => (
          <li key={one.shot_id} data-counted={one.because === null}>
            <Link className="text-action underline underline-offset-2" to={`/read/${one.shot_id}`}>
              {one.shot_id}
            </Link>{" "}
            {one.profile}
            <span className="text-quiet">
              , {moment(one.started_at)}
              {one.tds_pct !== null && `, TDS ${one.tds_pct.toFixed(1)} %`}
            </span>
            {one.because !== null && (
              <span className="block text-warn">Did not count: {one.because}.</span>
            )}
            {one.unlike_pct !== null && (
              <span className="block text-warn">
                Ran unlike the others: water passed {Math.abs(one.unlike_pct).toFixed(0)} %{" "}
                {one.unlike_pct > 0 ? "more" : "less"} easily. It weighs less.
              </span>
            )}
          </li>
        ))}
      </ul>
    </Panel>
  );
}

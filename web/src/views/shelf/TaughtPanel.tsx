import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { dosesQuery, overshootQuery, togetherQuery } from "../../api/queries";
import { moment } from "../../ui/format";
import { ErrorNote } from "../../ui/Messages";
import { Panel } from "../../ui/Panel";
import { styles } from "../../ui/styles";
import { grams } from "../../ui/units";

const FIRST = 4;
type Kind = "coffee" | "grinder" | "machine";

/** What shots taught of a coffee, grinder or machine: with what it was pulled, and its own habits. */
export function TaughtPanel({ kind, id }: { kind: Kind; id: number }) {
  const [all, setAll] = useState(false);
  const together = useQuery(togetherQuery(kind, id));
  const told = together.data ?? [];
  return (
    <Panel name="What the shots taught">
      {together.error && <ErrorNote error={together.error} />}
      {told.length === 0 && !together.error && (
        <p className="text-quiet" role={together.isPending ? "status" : undefined}>
          {together.isPending ? "Reading it" : "Nothing yet: no shot of it counts so far."}
        </p>
      )}
      <ul className={styles.older}>
        {told.slice(0, all ? undefined : FIRST).map((one) => (
          <li key={`${one.coffee_id} ${one.grinder_id} ${one.machine_id}`}>
            <Link
              className="text-action underline underline-offset-2"
              to={`/shelf/learnt/${one.coffee_id}/${one.grinder_id}/${one.machine_id}`}
            >
              {kind !== "coffee" && `${one.coffee} `}
              {kind !== "grinder" && `by ${one.grinder} `}
              {kind !== "machine" && `on ${one.machine}`}
            </Link>
            <span className="text-quiet">
              {one.shots === 1 ? "1 shot" : `${one.shots} shots`}, {moment(one.last_at)}
            </span>
          </li>
        ))}
      </ul>
      {!all && told.length > FIRST && (
        <button
          type="button"
          className="justify-self-start text-action underline underline-offset-2"
          onClick={() => setAll(true)}
        >
          All {told.length}
        </button>
      )}
      {kind === "machine" && <Overshoot id={id} />}
      {kind === "grinder" && <Doses id={id} />}
    </Panel>
  );
}

/** What still lands in the cup after a stop on this machine. */
function Overshoot({ id }: { id: number }) {
  const { data } = useQuery(overshootQuery(id));
  if (!data) return null;
  const at = (flow: number) => Math.max(0, data.drip_g + data.drip_s * flow);
  return (
    <p data-part="overshoot">
      After a stop {grams(at(1), 1)} still land in the cup at 1 g/s and {grams(at(2.5), 1)} at 2.5
      g/s, ± {grams(data.spread_g, 1)}, as {data.stops} stops say.
      {data.hand_s !== null && ` A hand stops ${data.hand_s.toFixed(1)} s late.`} The stop that Plan
      offers takes account of it.
    </p>
  );
}

/** How well the doses that were weighed hit what was asked for. */
function Doses({ id }: { id: number }) {
  const { data } = useQuery(dosesQuery(id));
  if (!data) return null;
  const off = Math.abs(data.off_g);
  return (
    <p data-part="doses">
      The last {data.doses} weighed doses were{" "}
      {off < 0.05 ? "as asked for" : `${grams(off, 1)} ${data.off_g > 0 ? "over" : "under"}`} on
      average, ±{grams(data.sd_g, 2)}.
      {data.drift_g !== null &&
        ` They ${data.drift_g > 0 ? "grow" : "shrink"} by ${grams(Math.abs(data.drift_g), 1)} in ten: burrs or hopper may have changed.`}
    </p>
  );
}

import { useQuery } from "@tanstack/react-query";
import type { Seat } from "../../../api/client";
import { tableResultsQuery } from "../../../api/queries";
import { ErrorNote, Loading } from "../../../ui/Messages";
import { Sheet } from "./Sheet";

/** A closed tasting on a phone: what it says, and which cup was which. */
export function Revealed({ seat, join }: { seat: Seat; join: string }) {
  const results = useQuery(tableResultsQuery(join));
  const rounds = new Set(seat.cups.map((cup) => cup.round)).size;
  return (
    <Sheet>
      <h1>What you tasted</h1>
      {results.isError && <ErrorNote error={results.error} />}
      {!results.data && !results.isError && <Loading what="the results" />}
      {results.data && (
        <div className="mt-2 grid gap-1.5 text-lead leading-5.5">
          {results.data.says.map((words, i) => (
            <p key={words} className={i === 0 ? "font-semibold" : ""}>
              {words}
            </p>
          ))}
          {results.data.notes.map((words) => (
            <p key={words} className="text-body text-quiet">
              {words}
            </p>
          ))}
          {results.data.warnings.map((words) => (
            <p key={words} className="text-warn">
              {words}
            </p>
          ))}
        </div>
      )}
      <h2 className="mt-5">Your cups</h2>
      <ul>
        {seat.cups.map((cup) => (
          <li
            key={cup.number}
            className="flex items-baseline justify-between gap-3 border-b border-rule py-2"
          >
            <span className="font-mono text-lead">
              {rounds > 1 && <span className="text-quiet">{cup.round}. </span>}
              {cup.code ?? `cup ${cup.position}`}
            </span>
            <span className="min-w-0 text-right">
              {cup.name}
              {liking(seat, cup.number)}
              {cup.withdrawn && <span className="text-quiet">, withdrawn</span>}
            </span>
          </li>
        ))}
      </ul>
    </Sheet>
  );
}

function liking(seat: Seat, cupId: number) {
  const found = seat.scores.find((one) => one.cup === cupId && one.line === "liking");
  return found ? `, liked ${found.points}` : "";
}

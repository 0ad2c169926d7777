import { useQuery } from "@tanstack/react-query";
import { Link, Navigate, useParams } from "react-router";
import type { ServingSheet as Sheet } from "../../../api/client";
import { servingQuery, tastingQuery } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { Loading, PageError } from "../../../ui/Messages";
import { cn, styles } from "../../../ui/styles";
import { grams } from "../../../ui/units";
import { sessionWords } from "./words";

type Cup = Sheet["cups"][number];

/** For the person who pours: which code is which shot, how much goes into each cup, and who gets it. */
export function ServingSheet() {
  const { sessionId } = useParams();
  const id = Number(sessionId);
  const known = Number.isInteger(id);
  const sheet = useQuery({ ...servingQuery(id), enabled: known });
  const session = useQuery({ ...tastingQuery(id), enabled: known });
  if (!known) return <Navigate to="/taste/together" replace />;
  if (sheet.isError) return <PageError error={sheet.error} retry={() => sheet.refetch()} />;
  if (!sheet.data || !session.data) return <Loading what="the serving sheet" />;
  const shared = session.data.kind === "describe" || session.data.kind === "rank";
  return (
    <main className="max-w-[820px] overflow-y-auto px-5 pt-2.5 pb-6 max-phone:px-3">
      <div className="flex flex-wrap items-center justify-between gap-2">
        <h1>Serving sheet</h1>
        <span className="flex gap-2 print:hidden">
          <Button onClick={() => window.print()}>Print</Button>
          <Link className={styles.word} to={`/taste/together/${id}`}>
            Back to the tasting
          </Link>
        </span>
      </div>
      <p className="mt-1 text-quiet">{sessionWords(session.data)}</p>
      <p className="mt-2 font-medium text-warn">Not for tasters to see.</p>
      {shared && <Pour cups={sheet.data.cups} />}
      <h2 className="mt-4">{shared ? "In which order" : "Cups, round by round"}</h2>
      <table className={cn(styles.doneTable, "mt-1")}>
        <thead>
          <tr>
            <th>Taster</th>
            {!shared && <th>Round</th>}
            <th>From left to right</th>
          </tr>
        </thead>
        <tbody>
          {sheet.data.tasters.flatMap((taster) =>
            taster.rounds.map((round) => (
              <tr key={`${taster.name}-${round.round}`}>
                <th>{taster.name}</th>
                {!shared && <td>{round.round}</td>}
                <td>
                  <span className="flex flex-wrap gap-x-5 gap-y-1">
                    {round.cups.map((cup) => (
                      <Coded key={cup.number} cup={cup} pour={!shared} />
                    ))}
                  </span>
                </td>
              </tr>
            )),
          )}
        </tbody>
      </table>
    </main>
  );
}

function Pour({ cups }: { cups: Cup[] }) {
  return (
    <>
      <h2 className="mt-4">What to pour</h2>
      <table className={cn(styles.doneTable, "mt-1 w-auto")}>
        <thead>
          <tr>
            <th>Code</th>
            <th>Shot</th>
            <th>In each cup</th>
          </tr>
        </thead>
        <tbody>
          {cups.map((cup) => (
            <tr key={cup.number} className={cup.withdrawn ? "line-through" : ""}>
              <th className="font-mono text-[17px]">{cup.code ?? "no code"}</th>
              <td>{cup.name}</td>
              <td>{cup.pour_g === null ? "an equal part" : grams(cup.pour_g, 1)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Coded({ cup, pour }: { cup: Cup; pour: boolean }) {
  return (
    <span className={cup.withdrawn ? "line-through" : ""}>
      <b className="font-mono text-lead">{cup.code ?? cup.name}</b>
      {pour && (
        <span className="text-quiet">
          {" "}
          {cup.name}
          {cup.pour_g !== null && `, ${grams(cup.pour_g, 1)}`}
        </span>
      )}
    </span>
  );
}

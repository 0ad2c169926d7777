import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Navigate, useParams, useSearchParams } from "react-router";
import type { Next, Trigger } from "../../api/client";
import { nextQuery, shotPagesQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { ButtonLink } from "../../ui/Button";
import { moment } from "../../ui/format";
import { Empty, ErrorNote, Loading, PageError } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";
import { VersionTitle } from "../../ui/VersionTitle";
import { ChangeColumn } from "./ChangeColumn";
import { ChangeRow } from "./ChangeRow";
import { Chips } from "./Chips";
import { GuidedRun } from "./GuidedRun";
import { SeparatingShot } from "./SeparatingShot";
import { SettledNote } from "./SettledNote";

/** Next: from what was tasted and read to one change. */
export function NextView() {
  const { shotId } = useParams();
  const pages = useInfiniteQuery(shotPagesQuery());
  if (pages.isError && !pages.data)
    return <PageError error={pages.error} retry={() => pages.refetch()} />;
  if (!pages.data) return <Loading what="the shots" />;
  const shots = pages.data.pages.flat().filter((one) => one.state === "done" && !one.dry);
  const tasted = shots.find((one) => one.tastings.length > 0) ?? shots[0];
  if (shotId === undefined)
    return tasted ? <Navigate to={`/next/${tasted.id}`} replace /> : <NoShots />;
  const id = Number(shotId);
  return Number.isInteger(id) ? <OfShot key={id} id={id} /> : <Navigate to="/next" replace />;
}

function NoShots() {
  return (
    <Empty title="Nothing to change yet">
      <p>Pull a shot and taste it; this is where one change is chosen for the next one.</p>
      <ButtonLink kind="main" to="/pull">
        Go to Pull
      </ButtonLink>{" "}
      <ButtonLink className="min-h-10" to="/first-week">
        A first week, step by step
      </ButtonLink>
    </Empty>
  );
}

/** Which triggers were switched off and which were added, kept in the address. */
function useSaid() {
  const [search, setSearch] = useSearchParams();
  const off = search.getAll("off") as Trigger[];
  const wished = search.getAll("wished") as Trigger[];
  const put = (name: "off" | "wished", list: Trigger[]) =>
    setSearch(
      (old) => {
        old.delete(name);
        for (const one of list) old.append(name, one);
        return old;
      },
      { replace: true },
    );
  return { off, wished, put };
}

function OfShot({ id }: { id: number }) {
  const { off, wished, put } = useSaid();
  const next = useQuery(nextQuery(id, off, wished));
  if (next.isError && !next.data)
    return <PageError error={next.error} retry={() => next.refetch()} />;
  if (!next.data) return <Loading what="what could be changed" />;
  return (
    <Shown
      next={next.data}
      said={{ off, wished }}
      stale={next.isPlaceholderData}
      error={next.error}
      toggle={(trigger, on) => {
        if (wished.includes(trigger)) put("wished", without(wished, trigger));
        else if (on && !off.includes(trigger)) put("wished", [...wished, trigger]);
        else put("off", on ? without(off, trigger) : [...off, trigger]);
      }}
      wish={(trigger) => put("wished", [...without(wished, trigger), trigger])}
    />
  );
}

const without = (list: Trigger[], one: Trigger) => list.filter((other) => other !== one);

function Shown(props: {
  next: Next;
  said: { off: Trigger[]; wished: Trigger[] };
  stale: boolean;
  error: Error | null;
  toggle: (trigger: Trigger, on: boolean) => void;
  wish: (trigger: Trigger) => void;
}) {
  const { next, said, stale, error, toggle, wish } = props;
  const { shot, chips, changes } = next;
  const [chosen, setChosen] = useState<string>();
  const good = changes.filter((one) => !one.failed);
  const failed = changes.filter((one) => one.failed);
  const current = changes.find((one) => one.move === chosen) ?? changes[0];
  const place = current ? changes.indexOf(current) : -1;
  const go = (by: number) => {
    const one = changes[Math.min(changes.length - 1, Math.max(0, place + by))];
    if (one) setChosen(one.move);
  };
  useActions("next", [
    {
      id: "next-down",
      words: "The change below",
      key: "ArrowDown",
      group: "Here",
      run: () => go(1),
    },
    { id: "next-up", words: "The change above", key: "ArrowUp", group: "Here", run: () => go(-1) },
  ]);
  return (
    <div className={styles.plan}>
      <main className={styles.planMain}>
        <div className={cn(styles.planHead, "flex flex-wrap items-baseline gap-x-3")}>
          <VersionTitle
            name={`After ${shot.profile_name}`}
            number={shot.number}
            state={`shot ${shot.id}, ${moment(shot.started_at)}`}
          />
        </div>
        {next.settled && <SettledNote settled={next.settled} />}
        {next.separating && <SeparatingShot shot={shot} separating={next.separating} />}
        <Chips chips={chips} toggle={toggle} wish={wish} />
        {next.coffee_id !== null && <GuidedRun shot={shot} coffeeId={next.coffee_id} />}
        {error && <ErrorNote error={error} />}
        <div className={cn(styles.sheet, "mt-2.5 overflow-y-auto", stale && "opacity-60")}>
          {changes.length === 0 && (
            <p className="p-4">
              No rule answers this on this machine: switch something on above, or add a wish.
            </p>
          )}
          <ol aria-label="One change, for and against">
            {good.map((change, i) => (
              <ChangeRow
                key={change.move}
                change={change}
                number={i + 1}
                current={change === current}
                choose={() => setChosen(change.move)}
              />
            ))}
          </ol>
          {failed.length > 0 && (
            <section aria-label="Tried without success" className="border-t border-rule">
              <p className="px-3.5 py-2 text-quiet">
                Tried on this coffee and no better so far. Another try makes sense with several cups
                of each side by side, or after a new bag.
              </p>
              <ol>
                {failed.map((change) => (
                  <ChangeRow
                    key={change.move}
                    change={change}
                    current={change === current}
                    choose={() => setChosen(change.move)}
                  />
                ))}
              </ol>
            </section>
          )}
        </div>
      </main>
      {current && <ChangeColumn key={current.move} next={next} change={current} said={said} />}
    </div>
  );
}

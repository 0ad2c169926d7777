import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Check as CheckMark, Circle, TriangleAlert } from "lucide-react";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { careDueQuery } from "../../api/care";
import { answered, type Bench, client, type Prepared } from "../../api/client";
import { useActions } from "../../bench/actions";
import { ChecksDialog } from "../../house/HouseChecks";
import { SetWater } from "../../profile/SetWater";
import { usePreparing } from "../../shots/preparing";
import { Button } from "../../ui/Button";
import { moment, plain } from "../../ui/format";
import { Key } from "../../ui/Key";
import { ErrorNote } from "../../ui/Messages";
import { NumberField, type Typed } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { amountNumber } from "../../ui/units";

type Item = Prepared["items"][number];

/** The start checks: what devices report is shown; what only the barista knows is asked. */
export function Checklist(props: {
  bench: Bench;
  prepared: Prepared | undefined;
  error: Error | null;
}) {
  const { bench, prepared, error } = props;
  const preparing = usePreparing();
  const items = prepared?.items ?? [];
  const asked = items.filter((one) => one.state === "ask");
  // Confirming everything at once weighs nothing: the dose stays the planned one, marked unweighed.
  const confirmAll = () => preparing.confirm(asked.map((one) => one.check));
  useActions("checks", [
    {
      id: "confirm-all",
      words: "Confirm all checks",
      key: "c",
      group: "Here",
      disabled: asked.length === 0,
      run: confirmAll,
    },
  ]);
  const [changing, setChanging] = useState(false);
  const left = items.filter((one) => one.state !== "ready").length;
  return (
    <section aria-label="Start checks">
      <div className="flex items-baseline justify-between">
        <h2>Before the pump starts</h2>
        <span className="text-quiet" role="status">
          {prepared === undefined ? "looking" : left === 0 ? "all ready" : `${left} to go`}
        </span>
      </div>
      {error && (
        <div className="mt-1">
          <ErrorNote error={error} />
        </div>
      )}
      <ul className="my-1.5 mx-0 border-t border-t-rule [&_li]:flex [&_li]:items-center [&_li]:gap-2 [&_li]:min-h-7.5 [&_li]:py-0.5 [&_li]:px-0 [&_li]:border-b [&_li]:border-b-rule [&_li>svg]:flex-none [&_li>svg]:w-4 [&_label]:flex [&_label]:items-center [&_label]:gap-2 [&_input[type=checkbox]]:flex-none [&_input[type=checkbox]]:w-4 [&_input[type=checkbox]]:h-4 [&_li>span:not([data-ui=field-frame])]:flex-1">
        {items.map((item) => (
          <li key={item.check} data-check={item.check} data-state={item.state}>
            <Line item={item} bench={bench} />
          </li>
        ))}
      </ul>
      {prepared?.meant_water && <SetWater water={prepared.meant_water} />}
      {prepared && <WarmUp bench={bench} warmUp={prepared.warm_up} />}
      <CareDue />
      <Button className="mt-1 w-full" disabled={asked.length === 0} onClick={confirmAll}>
        Confirm all <Key>C</Key>
      </Button>
      <button type="button" className={cn(styles.word, "mt-1")} onClick={() => setChanging(true)}>
        Change these checks
      </button>
      {changing && <ChecksDialog open close={() => setChanging(false)} />}
    </section>
  );
}

/** What is due on the bench, in one quiet line. */
function CareDue() {
  const due = useQuery(careDueQuery());
  if (!due.data?.length) return null;
  return (
    <p className="py-1 text-quiet" data-care="due">
      <Link to="/shelf/care" className={styles.word}>
        Due
      </Link>
      : {due.data.join(", ").toLowerCase()}
    </p>
  );
}

/** What only the barista knows: ticked where it is so. */
function Confirmed({ check, words }: { check: Item["check"]; words: string }) {
  const preparing = usePreparing();
  return (
    <label className="flex-1">
      <input
        type="checkbox"
        checked={preparing.confirmed.includes(check)}
        onChange={(event) => preparing.toggle(check, event.target.checked)}
      />
      {words}
    </label>
  );
}

function Line({ item, bench }: { item: Item; bench: Bench }) {
  const preparing = usePreparing();
  const { check, state, words } = item;
  const mark =
    state === "ready" ? (
      <CheckMark size={15} className="text-action" aria-label="ready" />
    ) : state === "missing" ? (
      <TriangleAlert size={15} className="text-warn" aria-label="missing" />
    ) : (
      <Circle size={13} className="text-quiet" aria-label="to confirm" />
    );
  // What is inside the grinder is missing until somebody says that it was ground out.
  const asked = state === "ask" || check === "purge" || preparing.confirmed.includes(check);
  const tickable = check !== "dose" && asked;
  if (check === "dose") {
    const levelled = bench.levelled && preparing.weighed_g === null;
    return (
      <>
        {levelled ? (
          <Confirmed check={check} words={words} />
        ) : (
          <>
            {mark}
            <span className={state === "missing" ? "text-warn" : ""}>{words}</span>
          </>
        )}
        <NumberField
          label="Dose weighed"
          value={preparing.weighed_g}
          unit="g"
          placeholder={amountNumber(bench.dose_g, "g", 1)}
          width={52}
          onChange={(weighed_g: Typed) => preparing.set({ weighed_g })}
        />
      </>
    );
  }
  return (
    <>
      {tickable ? (
        <Confirmed check={check} words={words} />
      ) : (
        <>
          {mark}
          <span className={state === "missing" ? "text-warn" : ""}>{words}</span>
        </>
      )}
      {check === "grind" && bench.grinder && (
        <NumberField
          label="Grind as set"
          value={preparing.grind_setting}
          placeholder={bench.grind_setting === null ? "" : plain(bench.grind_setting)}
          width={52}
          onChange={(grind_setting: Typed) => preparing.set({ grind_setting })}
        />
      )}
    </>
  );
}

/** The countdown from switched on, by machine and whether steam is needed. */
function WarmUp({ bench, warmUp }: { bench: Bench; warmUp: Prepared["warm_up"] }) {
  const queryClient = useQueryClient();
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  const switchOn = useMutation({
    mutationFn: (body: { minutes_ago: number | null; with_steam: boolean }) =>
      answered(
        client.POST("/api/machines/{machine_id}/switched", {
          params: { path: { machine_id: bench.machine.id } },
          body,
        }),
      ),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ["prepared"] }),
  });
  const [steam, setSteam] = useState(warmUp.with_steam);
  const left = warmUp.ready_at === null ? 0 : new Date(warmUp.ready_at).getTime() - now;
  const minutesOn =
    warmUp.on_since === null ? null : (now - new Date(warmUp.on_since).getTime()) / 60000;
  const takes = warmUp.warm_up_min + (warmUp.with_steam ? warmUp.steam_min : 0);
  return (
    <div
      className="flex flex-wrap items-center justify-between gap-y-1 gap-x-2.5 py-1 px-0"
      data-warm-up={left > 0 ? "counting" : "still"}
    >
      {warmUp.on_since === null && warmUp.warm_at && warmUp.switch_on_at && (
        <span className="w-full text-quiet">
          To be warm at {warmUp.warm_at.slice(0, 5)}, on at {warmUp.switch_on_at.slice(0, 5)}
        </span>
      )}
      {warmUp.on_since === null ? (
        <Button onClick={() => switchOn.mutate({ minutes_ago: 0, with_steam: steam })}>
          Switched on just now
        </Button>
      ) : (
        <span>
          {left > 0 ? (
            <>
              Warm in{" "}
              <b className={styles.fig} data-part="fig" role="timer">
                {Math.floor(left / 60000)}:{String(Math.floor(left / 1000) % 60).padStart(2, "0")}
              </b>
            </>
          ) : (
            `On since ${moment(warmUp.on_since)}`
          )}{" "}
          <button
            type="button"
            className={styles.word}
            onClick={() => switchOn.mutate({ minutes_ago: null, with_steam: steam })}
          >
            not so
          </button>
        </span>
      )}
      <label>
        <input
          type="checkbox"
          className="mr-1.5 align-[-2px]"
          checked={steam}
          onChange={(event) => {
            setSteam(event.target.checked);
            switchOn.mutate({
              minutes_ago: minutesOn === null ? null : Math.min(120, Math.max(0, minutesOn)),
              with_steam: event.target.checked,
            });
          }}
        />
        steam too, {plain(takes)} min
      </label>
      {switchOn.error && <ErrorNote error={switchOn.error} />}
    </div>
  );
}

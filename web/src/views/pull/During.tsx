import { useMutation } from "@tanstack/react-query";
import { bisectLeft } from "d3-array";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useState } from "react";
import { answered, client, type Shot } from "../../api/client";
import { tabId } from "../../api/tab";
import type { Live, LiveTraces } from "../../api/useLive";
import { type Orders, useOrders } from "../../api/useOrders";
import { type Action, useActions } from "../../bench/actions";
import { unitOf } from "../../profile/words";
import { type EventOf, eventsOf, lastEvent, type ShotEvent } from "../../shots/events";
import { Button } from "../../ui/Button";
import { plain } from "../../ui/format";
import { Key } from "../../ui/Key";
import { ErrorNote } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";
import { amountNumber, grams, readUnit } from "../../ui/units";
import { HandPad } from "./HandPad";
import { type Now, offsetOf, steeredBy, stopAt } from "./now";
import { setTones, tonesOn } from "./tones";

/** The readings and the hand on the shot while it runs. */
export function During({ shot, live, now }: { shot: Shot; live: Live; now: Now }) {
  const orders = useOrders(shot.id, live);
  const commander = live.commander === undefined ? shot.commander : live.commander;
  const ours = commander === null || commander === tabId();
  const stopped = now.stopped !== undefined;
  return (
    <aside className={cn(styles.forecastColumn, "gap-2!")} aria-label="Now">
      <Readings shot={shot} now={now} />
      <ToGo shot={shot} now={now} />
      <Trouble
        shotId={shot.id}
        traces={live.traces}
        events={live.events}
        now={now}
        orders={orders}
        able={ours && !stopped}
      />
      {orders.error && <ErrorNote error={new Error(orders.error)} />}
      {!ours && !stopped && <Watching shotId={shot.id} />}
      {ours && !stopped && <Hands shot={shot} live={live} now={now} orders={orders} />}
      <Marks now={now} orders={orders} />
      <StopNow stopped={stopped} drains={shot.drains} orders={orders} />
    </aside>
  );
}

function Readings({ shot, now }: { shot: Shot; now: Now }) {
  return (
    <div className="grid grid-cols-[1fr_1fr] gap-y-1 gap-x-4 [&_p]:flex [&_p]:flex-col [&_p]:border-b [&_p]:border-b-rule [&_small]:font-normal [&_small]:text-small [&_small]:leading-[normal] [&_small]:font-sans [&_small]:tracking-[0] max-phone:grid-cols-[repeat(4,_1fr)] max-phone:gap-2">
      <Reading name="Time" value={now.time_s} unit="s" />
      {shot.wired && (
        <>
          <Reading name="Pressure" value={now.pressure_bar} unit="bar" />
          <Reading name="Water in" value={now.water_ml_s} unit="mL/s" />
        </>
      )}
      {(shot.wired || now.cup_g !== null) && (
        <Reading name="In the cup" value={now.cup_g} unit="g" />
      )}
      {!shot.wired && (
        <p className="col-span-full text-quiet">
          Not connected: read its own gauge, and enter here what you do.
        </p>
      )}
    </div>
  );
}

function Reading({ name, value, unit }: { name: string; value: number | null; unit: string }) {
  return (
    <p data-reading={name}>
      <span className="text-quiet">{name}</span>
      <span className="whitespace-nowrap">
        <b className={styles.reading}>{value === null ? "none" : amountNumber(value, unit, 1)}</b>{" "}
        <small className="text-quiet">{readUnit(unit)}</small>
      </span>
    </p>
  );
}

/** The weight still to go, as a gap that closes, with what will drip after. */
function ToGo({ shot, now }: { shot: Shot; now: Now }) {
  const goal = stopAt(shot);
  if (goal === null) return null;
  const weight = now.cup_g;
  const share = Math.min(1, Math.max(0, (weight ?? 0) / goal));
  const drips = shot.after_drip_g;
  const at = grams(Number(goal.toFixed(1)));
  return (
    <div data-to-go="">
      {weight !== null && (
        <div className="h-3 overflow-hidden rounded-sm border border-edge" aria-hidden="true">
          <div className="h-full bg-action" style={{ width: `${share * 100}%` }} />
        </div>
      )}
      <p className="mt-1">
        {weight === null
          ? `not weighed here: stop at ${at} ${shot.wired ? "by eye" : "by your scale"}`
          : weight < goal
            ? `${grams(goal - weight, 1)} to the stop at ${at}`
            : `past the stop at ${at}`}
        {drips !== null && (
          <span className="text-quiet">
            , then {grams(drips, 1)} drip to {grams(goal + drips, 1)}
          </span>
        )}
      </p>
    </div>
  );
}

/** What went wrong, the newest, and the correction that can be applied at once. */
function Trouble(props: {
  shotId: number;
  traces: LiveTraces;
  events: ShotEvent[];
  now: Now;
  orders: Orders;
  able: boolean;
}) {
  const { shotId, traces, events, now, orders, able } = props;
  const [settled, setSettled] = useState<ShotEvent>();
  const way = now.stopped === undefined ? correctionOf(events, traces, now) : undefined;
  const open = way?.told === settled ? undefined : way;
  const told = lastEvent(events, ...TOLD);
  const fresh =
    told !== undefined &&
    told !== open?.told &&
    told.kind !== "connection_restored" &&
    told.kind !== "recovery_offered" &&
    told !== settled &&
    (told.kind === "connection_lost" || now.stopped === undefined);
  const apply = () => {
    if (!open) return;
    orders.give({ do: "nudge", by: open.by });
    setSettled(open.told);
  };
  useActions("recovery", [
    {
      id: "recovery",
      words: open?.high ? "Halve the flow" : "Apply the correction offered",
      key: "a",
      group: "Here",
      disabled: !open || !able,
      run: apply,
    },
  ]);
  return (
    <>
      {open && (
        <div role="alert" className={TROUBLE} data-trouble={nameOf(open.told)}>
          <p>{troubleWords(open.told)}</p>
          {able && (
            <p className="mt-1.5 flex gap-2">
              <Button className="flex-1 font-semibold" onClick={apply}>
                {open.words} <Key>A</Key>
              </Button>
              <Button onClick={() => setSettled(open.told)}>Dismiss</Button>
            </p>
          )}
        </div>
      )}
      {fresh && told && (
        <div role="alert" className={TROUBLE} data-trouble={nameOf(told)}>
          <p>{troubleWords(told)}</p>
          {told.kind === "connection_lost" && <CloseRecord shotId={shotId} />}
        </div>
      )}
    </>
  );
}

const TROUBLE = "py-2 px-2.5 border border-warn border-l-4 rounded-[3px] text-lead leading-5";
const nameOf = (told: ShotEvent) => (told.kind === "alarm_raised" ? told.alarm : told.kind);
const FELL_BAR = 0.5; // the alarm is over once the pressure is this far below where it was raised

/**
 * The correction to offer now: for too much pressure while it stays near where the alarm was raised,
 * or the newest recovery offered, until somebody steers or the next phase begins. Later messages do
 * not hide it.
 */
function correctionOf(events: ShotEvent[], traces: LiveTraces, now: Now) {
  const high = eventsOf(events, "alarm_raised").filter((one) => one.alarm === "over_pressure");
  const alarm = high.at(-1);
  if (alarm && now.commanded !== null) {
    const raised = traces.pressure_bar[bisectLeft(traces.time_s, alarm.time_s)];
    if (raised == null || (now.pressure_bar ?? 0) > raised - FELL_BAR) {
      // Half of what is steered halves the flow, or nearly.
      const by = -Number((now.commanded / 2).toFixed(2));
      return { told: alarm, by, words: "Halve the flow", high: true };
    }
  }
  const offer = lastEvent(events, "recovery_offered");
  const since = lastEvent(events, "nudged", "phase_began", "taken_over");
  if (!offer || offer.by == null || (since && since.time_s > offer.time_s)) return undefined;
  const way = `${offer.by > 0 ? "Raise" : "Lower"} by ${plain(Math.abs(offer.by))}`;
  return { told: offer, by: offer.by, words: `${way} ${unitOf(offer.control ?? "")}`, high: false };
}

/** For a machine that will not come back: what came until now is the record. */
function CloseRecord({ shotId }: { shotId: number }) {
  const close = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/shots/{shot_id}/close", { params: { path: { shot_id: shotId } } }),
      ),
  });
  return (
    <div className="mt-1.5">
      <Button disabled={close.isPending} onClick={() => close.mutate()}>
        Close this record
      </Button>
      {close.error && <ErrorNote error={close.error} />}
    </div>
  );
}

const TOLD = [
  "alarm_raised",
  "recovery_offered",
  "connection_lost",
  "connection_restored",
  "relief_opened",
  "tank_empty",
] as const;

/** What is wrong, or what would help, as a sentence. */
function troubleWords(event: EventOf<(typeof TOLD)[number]>) {
  switch (event.kind) {
    case "alarm_raised":
    case "recovery_offered":
      return event.message;
    case "connection_lost":
      return "The connection to the machine was lost; reconnecting. Stop at the machine if you must.";
    case "connection_restored":
      return "";
    case "relief_opened":
      return "The relief valve has opened and spits hot water. Keep clear of it.";
    case "tank_empty":
      return "The machine reports that its tank is empty.";
  }
}

function Watching({ shotId }: { shotId: number }) {
  const take = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/shots/{shot_id}/commander", {
          params: { path: { shot_id: shotId } },
          body: { page: tabId() },
        }),
      ),
  });
  return (
    <div className="rounded-sm border border-rule p-2">
      <p>Another page commands this shot; this one watches.</p>
      <Button className="mt-1.5 w-full" onClick={() => take.mutate()}>
        Take control
      </Button>
      {take.error && <ErrorNote error={take.error} />}
    </div>
  );
}

interface HandsProps {
  shot: Shot;
  live: Live;
  now: Now;
  orders: Orders;
}

/** What a hand can do: steer by nudges, or hold a level itself. */
function Hands({ shot, live, now, orders }: HandsProps) {
  const control = steeredBy(shot, now);
  const step = control ? (shot.nudges[control] ?? 0) : 0;
  const byLevel = now.taken !== undefined || (shot.manual && control !== undefined);
  const gates = shot.profile.phases[now.phase]?.exits ?? [];
  const more = now.phase + 1 < shot.profile.phases.length; // after the last cue only the stop is left
  const waits = shot.manual ? !byLevel && more : gates.some((one) => one.when === "hand");
  return (
    <>
      {!shot.manual && (
        <Program shot={shot} live={live} now={now} orders={orders} control={control} step={step} />
      )}
      {byLevel && control && (
        <HandPad
          key={control}
          control={control}
          level={now.level}
          target={shot.manual ? wantedOf(shot, now, control) : null}
          top={shot.tops[control] ?? 1}
          step={step}
          orders={orders}
          disabled={false}
        />
      )}
      {waits && <GoOn orders={orders} words={shot.manual ? "Done: next cue" : "Resume"} />}
    </>
  );
}

/** What the plan wants of the hand, in the hand's own unit. */
function wantedOf(shot: Shot, now: Now, control: string) {
  if (now.commanded === null) return 0;
  return now.commanded / (shot.shown_per_unit[control] ?? 1);
}

function GoOn({ orders, words }: { orders: Orders; words: string }) {
  const go = () => orders.give({ do: "next" });
  useActions("go-on", [{ id: "go-on", words, key: "g", group: "Here", order: true, run: go }]);
  return (
    <Button kind="main" onClick={go}>
      {words} <Key>G</Key>
    </Button>
  );
}

/** A program that runs: nudged, held, skipped, or taken over. */
function Program(props: HandsProps & { control: string | undefined; step: number }) {
  const { shot, live, now, orders, control, step } = props;
  const unit = unitOf(control);
  const taken = now.taken !== undefined;
  const offset = offsetOf(live.events, control);
  const able = control !== undefined && !taken;
  const steerable = Object.keys(shot.nudges).length > 0;
  const nudge = (by: number) => orders.give({ do: "nudge", by });
  const actions: Action[] = [
    {
      id: "hold",
      order: true,
      words: now.held ? "Resume the phase" : "Hold the phase",
      key: "h",
      group: "Here",
      disabled: taken,
      run: () => orders.give({ do: now.held ? "go_on" : "hold" }),
    },
    {
      id: "skip",
      order: true,
      words: "Skip to the next phase",
      key: "n",
      group: "Here",
      run: () => orders.give({ do: "skip" }),
    },
    {
      id: "take",
      order: true,
      words: taken ? "Return control to the program" : "Take over by hand",
      key: "t",
      group: "Here",
      disabled: !steerable,
      run: () => orders.give({ do: taken ? "give_back" : "take" }),
    },
  ];
  const nudges: Action[] = [
    {
      id: "nudge-up",
      order: true,
      words: `Nudge up by ${plain(step)} ${unit}`,
      key: "ArrowUp",
      group: "Here",
      disabled: !able,
      run: () => nudge(step),
    },
    {
      id: "nudge-down",
      order: true,
      words: `Nudge down by ${plain(step)} ${unit}`,
      key: "ArrowDown",
      group: "Here",
      disabled: !able,
      run: () => nudge(-step),
    },
  ];
  useActions("program", taken ? actions : [...nudges, ...actions]);
  const [hold, skip, take] = actions as [Action, Action, Action];
  return (
    <section
      className="grid gap-1.5 pt-2 border-t border-t-rule [&_[data-ui=button]]:min-h-9"
      aria-label="Steer"
    >
      {!taken && (
        <div className="grid grid-cols-[minmax(0,_1fr)_auto_minmax(0,_1fr)] items-center gap-1.5 text-center [&_[data-ui=button]]:min-h-9">
          <Button disabled={!able} title={nudges[1]?.words} onClick={() => nudge(-step)}>
            {able ? `${plain(step)} less` : "less"}
            <Key>
              <ArrowDown size={12} aria-label="Down" />
            </Key>
          </Button>
          <span
            className="min-w-18.5 font-medium text-[14px] leading-[normal] font-mono whitespace-nowrap"
            data-offset={offset}
          >
            {able ? `${offset > 0 ? "+" : ""}${plain(offset)} ${unit}` : "no level"}
          </span>
          <Button disabled={!able} title={nudges[0]?.words} onClick={() => nudge(step)}>
            {able ? `${plain(step)} more` : "more"}
            <Key>
              <ArrowUp size={12} aria-label="Up" />
            </Key>
          </Button>
        </div>
      )}
      <div className="grid grid-cols-[1fr_1fr_1.3fr] gap-1.5">
        <Press action={hold} words={now.held && !taken ? "Resume" : "Hold"} letter="H" />
        <Press action={skip} words="Skip" letter="N" />
        <Press action={take} words={taken ? "Return control" : "By hand"} letter="T" />
      </div>
    </section>
  );
}

function Press({ action, words, letter }: { action: Action; words: string; letter: string }) {
  return (
    <Button className="px-1!" title={action.words} disabled={action.disabled} onClick={action.run}>
      {words} <Key>{letter}</Key>
    </Button>
  );
}

const MARKS = [
  { mark: "first_bead", words: "First bead", key: "e" },
  { mark: "face_covered", words: "Covered", key: "c" },
  { mark: "dry_side", words: "Dry side", key: "y" },
  { mark: "first_drip", words: "First drip", key: "d" },
  { mark: "blond", words: "Blond", key: "b" },
  { mark: "spurt", words: "Spurt", key: "s" },
] as const;

/** What is seen at the machine, marked by a key at its time; and whether tones tell of changes. */
function Marks({ now, orders }: { now: Now; orders: Orders }) {
  const [tones, setOn] = useState(tonesOn);
  const over = now.stopped !== undefined;
  useActions("marks", [
    ...MARKS.map(({ mark, words, key }) => ({
      id: `mark-${mark}`,
      words: `Mark: ${words.toLowerCase()}`,
      key,
      group: "Here" as const,
      order: true,
      disabled: over,
      run: () => orders.give({ do: "mark", mark }),
    })),
  ]);
  return (
    <section
      className="pt-2 border-t border-t-rule [&_[data-ui=button]]:gap-1"
      aria-label="Mark what is seen"
    >
      <div className="grid grid-cols-2 gap-1.5 max-phone:grid-cols-3">
        {MARKS.map(({ mark, words, key }) => (
          <Button
            key={mark}
            className="px-1!"
            disabled={over}
            onClick={() => orders.give({ do: "mark", mark })}
          >
            {words} <Key>{key.toUpperCase()}</Key>
          </Button>
        ))}
      </div>
      <label className="mt-1.5 block">
        <input
          type="checkbox"
          className="mr-1.5 align-[-2px]"
          checked={tones}
          onChange={(event) => {
            setOn(event.target.checked);
            setTones(event.target.checked);
          }}
        />
        tones before and at each change
      </label>
    </section>
  );
}

function StopNow(props: { stopped: boolean; drains: boolean; orders: Orders }) {
  const { stopped, drains, orders } = props;
  const { stop } = orders;
  useActions("stop", [
    {
      id: "stop",
      words: "Stop the shot",
      key: "x",
      group: "Here",
      order: true,
      urgent: true,
      disabled: stopped,
      run: stop,
    },
  ]);
  return (
    <div className="mt-auto grid gap-1 max-phone:sticky max-phone:bottom-0 max-phone:bg-paper">
      {drains && (
        <p className="text-small text-quiet">At the stop it drains hot water: hands clear.</p>
      )}
      <Button kind="stop" disabled={stopped} onClick={stop}>
        Stop now <Key>X</Key>
      </Button>
    </div>
  );
}

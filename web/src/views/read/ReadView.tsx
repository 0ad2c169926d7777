import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Navigate, useLocation, useNavigate, useParams } from "react-router";
import { create } from "zustand";
import type { Alignment, Clock, Shot, ShotReading } from "../../api/client";
import { overlaysQuery, readingQuery, reviewQuery, shotQuery, shotsQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import type { Axis } from "../../charts/frame";
import { alongAxes, useClock } from "../../profile/clock";
import { useDialReading } from "../../profile/dial";
import { recipeWords } from "../../shots/Figures";
import { Button, ButtonLink } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { moment } from "../../ui/format";
import { Key } from "../../ui/Key";
import { Empty, ErrorNote, Loading, PageError } from "../../ui/Messages";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { readUnit } from "../../ui/units";
import { VersionTitle } from "../../ui/VersionTitle";
import { sorted } from "./findingPlaces";
import { alignments, OverBar } from "./OverBar";
import { ReadChart } from "./ReadChart";
import { ReadColumn } from "./ReadColumn";
import { ReviewPanels } from "./ReviewPanels";
import { AsideNote, SetAside } from "./SetAside";

/** Read: what the curve of a shot says, with its evidence. */
export function ReadView() {
  const { shotId } = useParams();
  const shots = useQuery({ ...shotsQuery(), enabled: shotId === undefined });
  const id = Number(shotId);
  if (shotId !== undefined)
    return Number.isInteger(id) ? <Chosen key={id} id={id} /> : <Navigate to="/read" replace />;
  if (shots.isError) return <PageError error={shots.error} retry={() => shots.refetch()} />;
  if (!shots.data) return <Loading what="the shots" />;
  const newest = shots.data.find((shot) => shot.state !== "running");
  return newest ? <Navigate to={`/read/${newest.id}`} replace /> : <NoShots />;
}

function NoShots() {
  return (
    <Empty title="No shot to read yet">
      <p>Pull a shot first: here you see what its curve says, and what to change.</p>
      <ButtonLink kind="main" to="/pull">
        Go to Pull
      </ButtonLink>
      <ButtonLink to="/read/bring-in">Bring a recording in</ButtonLink>
    </Empty>
  );
}

function Chosen({ id }: { id: number }) {
  const shot = useQuery(shotQuery(id));
  if (shot.isError) return <PageError error={shot.error} retry={() => shot.refetch()} />;
  if (!shot.data) return <Loading what="the shot" />;
  if (shot.data.state === "running" || shot.data.dry)
    return <Navigate to={`/pull/shot/${id}`} replace />;
  return <Whole shot={shot.data} />;
}

type Along = "seconds" | "water" | "cup";
const alongs = (): readonly { value: Along; words: string }[] => [
  ...alongAxes(),
  { value: "cup", words: `${readUnit("g")} in the cup` },
];

/** How curves are read, kept for the next shot; what lies over them with the shot. */
const useReadingSettings = create<{
  along: Along;
  alignment: Alignment;
  third: boolean;
  set: (change: Partial<{ along: Along; alignment: Alignment; third: boolean }>) => void;
}>((set) => ({ along: "seconds", alignment: "pump_on", third: true, set }));

function Whole({ shot }: { shot: Shot }) {
  const reading = useQuery(readingQuery(shot.id));
  const review = useQuery(reviewQuery(shot.id));
  const { along, alignment, third, set } = useReadingSettings();
  const clock = useClock((state) => state.clock);
  const [over, setOver] = useState<number[]>([]);
  const [adding, setAdding] = useState(false);
  const overlays = useQuery(overlaysQuery(shot.id, alignment, over));
  const laid = useQueries({ queries: over.map((id) => shotQuery(id)) });
  const shown = laid.flatMap((one) => one.data ?? []);
  const read = reading.data;
  const { heading, notes } = sorted(read?.reading.findings ?? []);
  const findings = [...heading, ...notes];
  const [chosen, choose] = useState<number>();
  const [lit, light] = useState<number>(); // while the pointer rests on it
  const open = chosen ?? (heading.length > 0 ? 0 : undefined);
  const openNow = open === -1 ? undefined : open;
  const toggle = (index: number | undefined) => choose(index ?? -1);
  const axis = useAxis(shot, read, along, clock);
  useReadActions({ shot, count: findings.length, open: openNow, choose: toggle, setAdding });
  return (
    <div className={styles.plan}>
      <main className={styles.planMain} data-part="plan-main">
        <Head shot={shot} review={review.data} />
        <p className="pb-2" data-part="verdict">
          {read?.reading.verdict ?? (reading.isError ? "" : "Reading the curve…")}
        </p>
        {reading.isError && <ErrorNote error={reading.error} />}
        {shot.trouble && <ErrorNote error={new Error(shot.trouble)} />}
        <ArmedNote />
        <AsideNote shot={shot} />
        <section className={cn(styles.sheet, "relative min-h-96")} aria-label="Shot">
          <ReadChart
            {...{ shot, read, findings, overlays: overlays.data, axis, third }}
            open={lit ?? openNow}
            choose={toggle}
            laid={shown}
          />
          <Tools {...{ along, third, set }} dialed={shot.dial !== null} />
        </section>
        <OverBar
          {...{ shot, over, setOver, alignment, adding, setAdding }}
          overlays={overlays.data}
          setAlignment={(to) => set({ alignment: to })}
        />
        <ReviewPanels shot={shot} after={review.data} error={review.error} />
      </main>
      <ReadColumn {...{ shot, read, light }} after={review.data} open={openNow} choose={toggle} />
    </div>
  );
}

/** After a pull by hand: what is left to do at the machine, until it is said to be done. */
function ArmedNote() {
  const { state, pathname } = useLocation();
  const navigate = useNavigate();
  const armed = (state as { armed?: string } | null)?.armed;
  const done = () => navigate(pathname, { replace: true, state: null });
  useActions(
    "armed",
    armed ? [{ id: "safe", words: "It is done", key: "g", group: "Here", run: done }] : [],
  );
  if (!armed) return null;
  return (
    <p
      role="alert"
      className="mb-2 flex items-center gap-3 rounded-sm border-2 border-warn px-2.5 py-1.5 text-figure"
      data-part="armed"
    >
      <b className="text-warn">{armed}</b>
      <Button onClick={done}>
        Done <Key>G</Key>
      </Button>
    </p>
  );
}

/** Title, recipe, other shots, and what else can be done with this one. */
function Head({ shot, review }: { shot: Shot; review: { can_tidy: boolean } | undefined }) {
  return (
    <div className={cn(styles.planHead, "pt-2 pb-1")}>
      <div className="flex flex-wrap items-center justify-between gap-x-3 gap-y-1">
        <VersionTitle
          name={shot.profile_name}
          number={shot.number}
          state={`shot ${shot.id}${shot.state === "incomplete" ? ", incomplete" : ""}${shot.origin === "pulled" ? "" : `, brought in from a ${shot.origin === "csv" ? "table" : "picture"}`}`}
        />
        <div className="flex flex-wrap items-center gap-2">
          <OtherShots shot={shot} />
          <ButtonLink to="/read/bring-in">Bring in</ButtonLink>
          {shot.set_aside === null && <SetAside shot={shot} />}
          {review?.can_tidy && (
            <ButtonLink to={`/tidy/${shot.id}`}>Tidy it into a profile</ButtonLink>
          )}
        </div>
      </div>
      <p className="truncate text-quiet" title={recipeWords(shot)}>
        {recipeWords(shot)}
      </p>
    </div>
  );
}

/** The newest shots, to read another. */
function OtherShots({ shot }: { shot: Shot }) {
  const navigate = useNavigate();
  const shots = useQuery(shotsQuery());
  const others = (shots.data ?? []).filter((one) => one.state !== "running" && !one.dry);
  const listed = others.some((one) => one.id === shot.id) ? others : [shot, ...others];
  return (
    <Choice
      label="Shot"
      value={shot.id}
      options={listed.map((one) => ({
        value: one.id,
        words: `${one.id}: ${one.profile_name} v${one.number}, ${moment(one.started_at)}${one.set_aside ? ", set aside" : ""}`,
        button: moment(one.started_at),
      }))}
      onChange={(id) => navigate(`/read/${id}`)}
    />
  );
}

/** Over the curves: what the axis counts, and whether resistance is shown. */
function Tools(props: {
  along: Along;
  third: boolean;
  set: (change: Partial<{ along: Along; third: boolean }>) => void;
  /** Whether the machine's dial is calibrated. */
  dialed: boolean;
}) {
  const { along, third, set, dialed } = props;
  const { on, setOn } = useDialReading();
  return (
    <div className="absolute top-1 right-11.5 z-20 flex items-center gap-2 max-phone:static max-phone:order-first max-phone:p-1 [&_[data-ui=segments]]:bg-sheet [&_[data-ui=segments]]:leading-3.5 max-phone:[&_[data-ui=segments]_button]:px-1.25">
      <button
        type="button"
        className="text-quiet underline decoration-rule underline-offset-4 max-phone:hidden"
        aria-pressed={third}
        onClick={() => set({ third: !third })}
      >
        {third ? "hide resistance" : "show resistance"}
      </button>
      {dialed && (
        <button
          type="button"
          className="text-quiet underline decoration-rule underline-offset-4 max-phone:hidden"
          aria-pressed={on}
          onClick={() => setOn(!on)}
        >
          {on ? "as at the puck" : "as the dial reads"}
        </button>
      )}
      <Segments
        label="Axis"
        value={along}
        options={alongs()}
        onChange={(to) => set({ along: to })}
      />
    </div>
  );
}

/** What the axis counts; seconds from the clock's own moment, as measured. */
function useAxis(shot: Shot, read: ShotReading | undefined, along: Along, clock: Clock): Axis {
  return useMemo(() => {
    const { time_s } = shot.traces;
    if (along === "water" && read) return { by: "water", time_s, amount: read.pumped_ml };
    if (along === "cup" && read) return { by: "cup", time_s, amount: read.cup_risen_g };
    const zero = clock === "drip" ? shot.first_drip_s : clock === "full" ? shot.full_pressure_s : 0;
    return { by: "seconds", zero_s: zero ?? 0 };
  }, [shot, read, along, clock]);
}

function useReadActions(props: {
  shot: Shot;
  count: number;
  open: number | undefined;
  choose: (index: number | undefined) => void;
  setAdding: (adding: boolean) => void;
}) {
  const { count, open, choose, setAdding } = props;
  const { alignment, third, set } = useReadingSettings();
  const step = (by: number) => choose(((open ?? (by > 0 ? -1 : 0)) + by + count) % count);
  const every = alignments();
  const next = every[(every.findIndex((one) => one.value === alignment) + 1) % every.length];
  const here = "Here" as const;
  useActions("read", [
    {
      id: "next",
      words: "Next finding",
      key: "n",
      group: here,
      disabled: count === 0,
      run: () => step(1),
    },
    {
      id: "previous",
      words: "Previous finding",
      key: "b",
      group: here,
      disabled: count === 0,
      run: () => step(-1),
    },
    {
      id: "align",
      words: "Align on another moment",
      key: "a",
      group: here,
      run: () => next && set({ alignment: next.value }),
    },
    { id: "over", words: "Overlay a shot", key: "o", group: here, run: () => setAdding(true) },
    {
      id: "resistance",
      words: third ? "Hide resistance" : "Show resistance",
      key: "i",
      group: here,
      run: () => set({ third: !third }),
    },
  ]);
}

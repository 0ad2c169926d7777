import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import {
  answered,
  client,
  type SessionLine,
  type SessionPreview,
  type SessionSetup,
  type ShotLine,
} from "../../../api/client";
import {
  shotQuery,
  shotsQuery,
  tastersQuery,
  tastingPreviewQuery,
  tastingsQuery,
} from "../../../api/queries";
import { failureWords } from "../../../api/refusals";
import { useActions } from "../../../bench/actions";
import { useTimeFigure } from "../../../profile/ClockChoice";
import { SmallCurve } from "../../../shots/SmallCurve";
import { Button, ButtonLink } from "../../../ui/Button";
import { listed, moment } from "../../../ui/format";
import { Key } from "../../../ui/Key";
import { Empty, Loading, PageError } from "../../../ui/Messages";
import { FieldError } from "../../../ui/NumberField";
import { grams } from "../../../ui/units";
import { SetupSentence } from "./SetupSentence";
import { KINDS } from "./words";

/** Set a tasting of several cups up, in one sentence; and the tastings so far. */
export function TogetherView() {
  const shots = useQuery(shotsQuery());
  const tastings = useQuery(tastingsQuery());
  const tasters = useQuery(tastersQuery());
  for (const one of [shots, tastings, tasters]) {
    if (one.isError && !one.data)
      return <PageError error={one.error} retry={() => one.refetch()} />;
  }
  if (!shots.data || !tastings.data || !tasters.data) return <Loading what="the tastings" />;
  const whole = shots.data.filter((shot) => shot.state !== "running" && !shot.dry);
  if (whole.length === 0)
    return (
      <Empty title="No shot to taste yet">
        <p>Pull two shots first, then taste them here side by side.</p>
        <ButtonLink kind="main" to="/pull">
          Go to Pull
        </ButtonLink>
      </Empty>
    );
  return <Together shots={whole} tastings={tastings.data} tasters={tasters.data} />;
}

function Together(props: { shots: ShotLine[]; tastings: SessionLine[]; tasters: string[] }) {
  const { shots, tastings, tasters } = props;
  const [asked] = useSearchParams();
  const [setup, setSetup] = useState(() => first(shots, tastings, tasters, asked.get("shots")));
  const preview = useQuery({ ...tastingPreviewQuery(setup), enabled: setup.tasters.length > 0 });
  const start = useStart(setup);
  const refused = failureWords(start.error ?? (preview.isError ? preview.error : null));
  const ready = preview.isSuccess && !preview.isPlaceholderData && !start.isPending;
  useActions("together", [
    {
      id: "draw",
      words: "Draw codes and begin",
      key: "b",
      group: "Here",
      disabled: !ready,
      run: () => start.mutate(),
    },
  ]);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,_1fr)_300px] max-narrow:block">
      <main className="min-w-0 overflow-y-auto px-5 pt-2.5 pb-4 max-phone:px-3">
        <h1>Taste together</h1>
        <div className="mt-3">
          <SetupSentence
            setup={setup}
            shots={shots}
            cups={preview.data?.cups}
            change={(part) => setSetup((old) => fitting({ ...old, ...part }))}
          />
        </div>
        {setup.tasters.length === 0 && (
          <p className="mt-2 text-warn">Add at least one taster: click “nobody yet”.</p>
        )}
        {refused && (
          <div className="mt-2" role="alert">
            <FieldError>{refused}</FieldError>
          </div>
        )}
        <Cups shots={shots.filter((shot) => setup.shot_ids.includes(shot.id)).reverse()} />
        {preview.data && !preview.isError && <Before preview={preview.data} />}
        <div className="mt-5">
          <Button kind="main" className="px-4" disabled={!ready} onClick={() => start.mutate()}>
            Draw codes and begin <Key>B</Key>
          </Button>
        </div>
      </main>
      <aside
        className="border-l border-rule px-4 pt-3.5 pb-3 max-narrow:border-t max-narrow:border-l-0"
        aria-label="Tastings"
      >
        <h2>Earlier tastings</h2>
        {tastings.length === 0 ? (
          <p className="mt-1 text-quiet">None yet.</p>
        ) : (
          <ul className="mt-1">
            {tastings.map((one) => (
              <li key={one.id} className="border-b border-rule">
                <Link
                  to={`/taste/together/${one.id}`}
                  className="block rounded-sm px-1.5 py-2 hover:bg-tint"
                >
                  <span className="flex justify-between gap-2">
                    <b className="min-w-0 truncate">{listed(one.shots)}</b>
                    {one.state === "open" && <span className="text-action">open</span>}
                  </span>
                  <span className="block text-small text-quiet">
                    {KINDS[one.kind].words}, {listed(one.tasters)}, {moment(one.created_at)}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
        )}
      </aside>
    </div>
  );
}

/** The chosen shots with their curves. */
function Cups({ shots }: { shots: ShotLine[] }) {
  return (
    <ul className="mt-3 flex flex-wrap gap-2">
      {shots.map((shot) => (
        <Cup key={shot.id} shot={shot} />
      ))}
    </ul>
  );
}

function Cup({ shot }: { shot: ShotLine }) {
  const whole = useQuery(shotQuery(shot.id));
  const seconds = shot[useTimeFigure()];
  const figures = [
    seconds === null ? null : `${seconds.toFixed(1)} s`,
    shot.yield_g === null ? null : grams(shot.yield_g, 1),
  ].filter((words) => words !== null);
  return (
    <li className="w-52 rounded-sm border border-rule bg-sheet px-3 py-2">
      <p className="truncate">
        <b>{shot.profile_name}</b> <span className="font-mono text-quiet">v{shot.number}</span>
      </p>
      <p className="text-small text-quiet tabular-nums">
        {figures.join(" · ")}
        {figures.length > 0 && ", "}
        {moment(shot.started_at)}
      </p>
      <div className="mt-1.5 h-16">
        {whole.data && (
          <SmallCurve
            traces={whole.data.traces}
            stop_s={whole.data.shot_time_s ?? null}
            width={182}
            height={64}
          />
        )}
      </div>
    </li>
  );
}

/** What this tasting can show, and what weakens it, before anybody pours. */
function Before({ preview }: { preview: SessionPreview }) {
  const caffeine = `About ${preview.caffeine.caffeine_mg.toFixed(0)} mg of caffeine each, if everything is swallowed.`;
  return (
    <section className="mt-3 max-w-[760px]" aria-label="What it can show">
      <h2>What it can show</h2>
      <ul className="mt-1 grid gap-1">
        {preview.prospects.map((words) => (
          <li key={words}>{words}</li>
        ))}
        {preview.warnings.map((words) => (
          <li key={words} className="text-warn">
            {words}
          </li>
        ))}
        <li className="text-quiet">
          {caffeine} {preview.caffeine.advice}
        </li>
      </ul>
    </section>
  );
}

function useStart(setup: SessionSetup) {
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: () => answered(client.POST("/api/tastings", { body: setup })),
    onSuccess: (session) => {
      queryClient.invalidateQueries({ queryKey: tastingsQuery().queryKey, exact: true });
      queryClient.invalidateQueries({ queryKey: tastersQuery().queryKey });
      navigate(`/taste/together/${session.id}`);
    },
  });
}

/** The first setup: the shots asked for or the newest two, and the tasters of the last tasting. */
function first(
  shots: ShotLine[],
  tastings: SessionLine[],
  tasters: string[],
  asked: string | null,
): SessionSetup {
  const wanted = (asked ?? "").split(",").map(Number);
  const named = shots.map((shot) => shot.id).filter((id) => wanted.includes(id));
  const newest = shots.filter((shot) => shot.state === "done").slice(0, 2);
  const before = tastings[0]?.tasters ?? tasters.slice(0, 1);
  return fitting({
    kind: "describe",
    shot_ids: (named.length ? named : newest.map((shot) => shot.id)).sort((a, b) => a - b),
    tasters: before,
    blind: true,
    served: "straight",
    milk_g: null,
    warmths: ["hot"],
    lines: null,
    questions: ["preferred"],
    rounds: 1,
    duplicate: false,
  });
}

/** The setup without the settings that its kind does not have. */
function fitting(setup: SessionSetup): SessionSetup {
  const repeats = setup.kind === "pair" || setup.kind === "triangle";
  return {
    ...setup,
    lines: setup.kind === "describe" ? (setup.lines ?? null) : null,
    rounds: repeats ? setup.rounds : 1,
    duplicate: repeats ? false : setup.duplicate,
    blind: setup.kind === "triangle" ? true : setup.blind,
  };
}

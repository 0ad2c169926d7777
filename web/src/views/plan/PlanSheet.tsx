import { useQuery } from "@tanstack/react-query";
import { useCallback, useDeferredValue, useMemo, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { useNavigate, useSearchParams } from "react-router";
import type { History, Prediction } from "../../api/client";
import { benchQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { useOverlay } from "../../bench/overlay";
import { axisOf, useAlongAxis, useClock } from "../../profile/clock";
import { isDialed, useDialReading } from "../../profile/dial";
import { useDragging } from "../../profile/dragging";
import { merged, split } from "../../profile/edits";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { moved, phaseAfter } from "../../profile/loose";
import { useForecast, useResting } from "../../profile/useForecast";
import { type Planned, usePlanned } from "../../profile/usePlanned";
import { cn, styles } from "../../ui/styles";
import { useSize } from "../../ui/useSize";
import { ChartTools } from "./ChartTools";
import { Conflict } from "./Conflict";
import { Drawer } from "./Drawer";
import { DRAWERS, useDrawer } from "./drawers";
import { EditLayer } from "./EditLayer";
import { ForecastColumn } from "./ForecastColumn";
import { PhaseRail } from "./PhaseRail";
import { PlanHead } from "./PlanHead";
import { SuggestedChange } from "./SuggestedChange";
import { useGhost } from "./useGhost";
import { useMeant } from "./useMeant";
import { useNextStep } from "./useNextStep";

/** One profile: its curves, its phases, what helps to shape them, and the forecast beside it. */
export function PlanSheet({ history }: { history: History }) {
  const planned = usePlanned(history);
  const { profile } = planned;
  const now = useForecast(profile);
  const { shown, elsewhere } = useMeant(profile, now);
  const { ghost, choice, choose } = useGhost(history, planned);
  const [selected, select] = useSelected(profile.phases.length);
  const [ref, { width }] = useSize<HTMLDivElement>();
  const next = useNextStep(planned);
  const prediction = shown.answered?.forecast.prediction;
  usePlanActions({ planned, prediction, selected, select, pull: next.run, saving: next.saving });

  const held = useDragging((state) => state.held);
  // While the hand moves, the curve and the squares come first: figures when there is time, words
  // and fields when the hand rests.
  const laterNow = useDeferredValue(now);
  const [rested, restedNow] = [useResting(planned), useResting(shown)];
  const calm = held ? rested : planned;
  const calmNow = held ? restedNow : shown;
  const ghostly = ghost?.prediction;
  const fresh = useMemo(() => forecastExtent(prediction, ghostly), [prediction, ghostly]);
  const extent = useStill(fresh, held);
  const clock = useClock((state) => state.clock);
  const along = useAlongAxis((state) => state.along);
  const machine = useQuery(benchQuery()).data?.machine;
  const dial = useDialReading((state) => state.on) && isDialed(machine);
  const axis = useMemo(() => axisOf(prediction, along, clock), [prediction, along, clock]);
  return (
    <div className={styles.plan}>
      <main className={styles.planMain} data-part="plan-main">
        <PlanHead history={history} planned={calm} now={calmNow} />
        <Conflict planned={planned} />
        <section ref={ref} className={styles.sheet} aria-label="Profile">
          <div
            className={cn(
              "relative flex min-h-0 flex-auto flex-col",
              now.refused && !elsewhere && "opacity-55",
            )}
          >
            <ForecastChart
              extent={extent}
              axis={axis}
              answered={shown.answered}
              ghost={ghostly}
              ghostName={ghost?.name ?? ""}
              selected={selected}
              dial={dial}
              bare
            />
            <EditLayer {...{ extent, axis, planned, prediction, selected, select }} />
            <ChartTools history={history} choice={choice} choose={choose} elsewhere={elsewhere} />
          </div>
          <PhaseRail
            width={width}
            extent={extent}
            axis={axis}
            profile={calm.profile}
            now={calmNow}
            selected={selected}
            select={select}
          />
          <SuggestedChange planned={calm} />
          <Drawer {...{ selected, select }} planned={calm} now={calmNow} />
        </section>
      </main>
      <ForecastColumn now={held ? laterNow : now} planned={calm} select={select} next={next} />
    </div>
  );
}

/** A value that keeps still while a hand holds something on the curve. */
function useStill<T>(fresh: T, held: boolean) {
  const [kept, setKept] = useState(fresh);
  if (!held && kept !== fresh) setKept(fresh);
  return held ? kept : fresh;
}

/** Which phase is open, kept in the address; one past the last is the stop rule. */
function useSelected(phases: number) {
  const [search, setSearch] = useSearchParams();
  const asked = Number(search.get("phase") ?? 0);
  const selected = Number.isInteger(asked) ? Math.min(Math.max(asked, 0), phases) : 0;
  // At once, not in a transition: what is typed next must reach the phase that was chosen.
  const latest = useRef(setSearch);
  latest.current = setSearch;
  const select = useCallback((index: number) => {
    const now = new URLSearchParams(location.search).get("phase");
    if (now !== String(index))
      latest.current({ phase: String(index) }, { replace: true, flushSync: true });
  }, []);
  return [selected, select] as const;
}

function usePlanActions(props: {
  planned: Planned;
  prediction: Prediction | undefined;
  selected: number;
  select: (index: number) => void;
  pull: () => void;
  saving: boolean;
}) {
  const { planned, prediction, selected, select, pull, saving } = props;
  const { profile, edit } = planned;
  const { phases } = profile;
  const phase = phases[selected];
  const here = "Here" as const;
  const show = useDrawer((state) => state.show);
  const open = useOverlay((state) => state.open);
  const navigate = useNavigate();
  const machine = useQuery(benchQuery()).data?.machine;
  const stages = machine?.program.stages ?? Number.POSITIVE_INFINITY;
  const full = phases.length >= stages;
  const focusEditor = () =>
    document.querySelector<HTMLElement>("[data-editor] input, [data-editor] button")?.focus();
  useActions("plan", [
    {
      id: "undo",
      words: "Undo",
      key: "$mod+z",
      group: here,
      disabled: !planned.canUndo,
      run: planned.undo,
    },
    {
      id: "redo",
      words: "Redo",
      key: "$mod+Shift+z",
      group: here,
      disabled: !planned.canRedo,
      run: planned.redo,
    },
    {
      id: "save",
      words: "Save as a new version",
      key: "$mod+s",
      group: here,
      disabled: !planned.dirty || saving,
      run: () => planned.save.mutate(null),
    },
    {
      id: "styles",
      words: "Start from a style",
      key: "s",
      group: here,
      run: () => open("styles"),
    },
    {
      id: "versions",
      words: "Versions, and comparing two",
      key: "w",
      group: here,
      run: () => open("versions"),
    },
    {
      id: "print",
      words: "Print the saved version",
      key: "$mod+p",
      group: here,
      run: () => navigate(`/print/${planned.id}/${planned.saved.number}`),
    },
    {
      id: "translate",
      words: "Translate for another machine",
      key: "t",
      group: here,
      run: () => open("translate"),
    },
    { id: "pull", words: "Pull this profile", key: "p", group: here, disabled: saving, run: pull },
    {
      id: "earlier",
      words: "Phase before",
      key: "ArrowLeft",
      group: here,
      disabled: selected === 0,
      run: () => select(selected - 1),
    },
    {
      id: "later",
      words: "Phase after",
      key: "ArrowRight",
      group: here,
      disabled: selected >= phases.length,
      run: () => select(selected + 1),
    },
    {
      id: "edit",
      words: "Edit this phase",
      key: "e",
      group: here,
      run: () => {
        flushSync(() => show("edit"));
        focusEditor();
      },
    },
    {
      id: "curve",
      words: "Move it on the curve",
      key: "d",
      group: here,
      run: () => {
        const handle = (of: string) => document.querySelector<SVGGElement>(`.${of}[tabindex='0']`);
        (handle("takes-square") ?? handle("takes-edge"))?.focus();
      },
    },
    {
      id: "read",
      words: "Read the values at a moment",
      key: "v",
      group: here,
      run: () => document.querySelector<SVGGElement>(".scrub")?.focus(),
    },
    ...DRAWERS.map(({ value, words, key }) => ({
      id: `drawer-${value}`,
      words: `Show: ${words}`,
      key,
      group: here,
      run: () => show(value),
    })),
    {
      id: "add",
      words: full
        ? `No more phases: ${machine?.name} takes ${stages}`
        : "Add a phase after this one",
      key: "a",
      group: here,
      disabled: full,
      run: () => {
        const at = Math.min(selected + 1, phases.length);
        edit("", {
          ...profile,
          phases: phases.toSpliced(at, 0, phaseAfter(phase ?? phases.at(-1))),
        });
        select(at);
      },
    },
    {
      id: "copy",
      words: "Copy this phase",
      key: "c",
      group: here,
      disabled: !phase || full,
      run: () => {
        if (phase) edit("", { ...profile, phases: phases.toSpliced(selected + 1, 0, phase) });
        select(selected + 1);
      },
    },
    {
      id: "split",
      words: "Split this phase in two",
      key: "x",
      group: here,
      disabled: !phase || full,
      run: () => edit("", split(profile, selected, prediction?.phases[selected])),
    },
    {
      id: "merge",
      words: "Merge it with the next",
      key: "m",
      group: here,
      disabled: !phase || !phases[selected + 1],
      run: () => edit("", merged(profile, selected, prediction?.phases ?? [])),
    },
    {
      id: "remove",
      words: "Remove this phase",
      key: "Delete",
      group: here,
      disabled: !phase,
      run: () => {
        edit("", { ...profile, phases: phases.toSpliced(selected, 1) });
        select(Math.max(0, selected - 1));
      },
    },
    ...([-1, 1] as const).map((by) => ({
      id: `move${by}`,
      words: by < 0 ? "Move this phase earlier" : "Move this phase later",
      key: by < 0 ? "Shift+ArrowLeft" : "Shift+ArrowRight",
      group: here,
      disabled: !phase || !phases[selected + by],
      run: () => {
        edit("", { ...profile, phases: moved(phases, selected, by) });
        select(selected + by);
      },
    })),
  ]);
}

import { useMemo } from "react";
import { useSearchParams } from "react-router";
import type { History } from "../../api/client";
import { useActions } from "../../bench/actions";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { moved, phaseAfter } from "../../profile/loose";
import { useForecast } from "../../profile/useForecast";
import { type Planned, usePlanned } from "../../profile/usePlanned";
import { useSize } from "../../ui/useSize";
import { Conflict } from "./Conflict";
import { ForecastColumn } from "./ForecastColumn";
import { PhaseEditor } from "./PhaseEditor";
import { PhaseRail } from "./PhaseRail";
import { PlanHead } from "./PlanHead";
import { StopEditor } from "./StopEditor";
import { useNextStep } from "./useNextStep";

/** One profile: its curves, its phases, their editor, and the forecast beside it. */
export function PlanSheet({ history }: { history: History }) {
  const planned = usePlanned(history);
  const { profile, saved } = planned;
  const now = useForecast(profile);
  const before = useForecast(planned.dirty ? saved.profile : undefined);
  const [selected, select] = useSelected(profile.phases.length);
  const [ref, { width }] = useSize<HTMLDivElement>();
  const next = useNextStep(planned);
  usePlanActions({ planned, selected, select, pull: next.run, saving: next.saving });

  const prediction = now.answered?.forecast.prediction;
  const ghost = planned.dirty ? before.answered?.forecast.prediction : undefined;
  const extent = useMemo(() => forecastExtent(prediction, ghost), [prediction, ghost]);
  return (
    <div className="plan">
      <main className="plan-main">
        <PlanHead history={history} planned={planned} now={now} />
        <Conflict planned={planned} />
        <section ref={ref} className="sheet" aria-label="Profile">
          <div className={`chart-place ${now.refused ? "stale" : ""}`}>
            <ForecastChart
              extent={extent}
              answered={now.answered}
              ghost={ghost}
              ghostName={`v${saved.number}`}
              selected={selected}
            />
          </div>
          <PhaseRail
            width={width}
            seconds={extent.seconds}
            profile={profile}
            now={now}
            selected={selected}
            select={select}
          />
          {selected < profile.phases.length ? (
            <PhaseEditor
              key={selected}
              planned={planned}
              index={selected}
              select={select}
              problems={now.problems}
            />
          ) : (
            <StopEditor planned={planned} select={select} problems={now.problems} />
          )}
        </section>
      </main>
      <ForecastColumn now={now} planned={planned} select={select} next={next} />
    </div>
  );
}

/** Which phase is open, kept in the address; one past the last is the stop rule. */
function useSelected(phases: number) {
  const [search, setSearch] = useSearchParams();
  const asked = Number(search.get("phase") ?? 0);
  const selected = Number.isInteger(asked) ? Math.min(Math.max(asked, 0), phases) : 0;
  // At once, not in a transition: what is typed next must reach the phase that was chosen.
  const select = (index: number) =>
    setSearch({ phase: String(index) }, { replace: true, flushSync: true });
  return [selected, select] as const;
}

function usePlanActions(props: {
  planned: Planned;
  selected: number;
  select: (index: number) => void;
  pull: () => void;
  saving: boolean;
}) {
  const { planned, selected, select, pull, saving } = props;
  const { profile, edit } = planned;
  const { phases } = profile;
  const phase = phases[selected];
  const here = "Here" as const;
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
    { id: "edit", words: "Edit this phase", key: "e", group: here, run: focusEditor },
    {
      id: "add",
      words: "Add a phase after this one",
      key: "a",
      group: here,
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
      disabled: !phase,
      run: () => {
        if (phase) edit("", { ...profile, phases: phases.toSpliced(selected + 1, 0, phase) });
        select(selected + 1);
      },
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

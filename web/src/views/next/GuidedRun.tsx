import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answered, client, type GuidedRun as Run, type ShotLine } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { guidedRunQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useRecipeOnBench } from "../../profile/useIntoPlan";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/DataTable";
import { plain } from "../../ui/format";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { amount } from "../../ui/units";
import { Word } from "../../ui/Word";

type Wanted = Run["wanted"];

const NUMBERS: Record<Wanted["number"], { words: string; unit: string }> = {
  grind_setting: { words: "the grind", unit: "" },
  dose_g: { words: "the dose", unit: "g" },
  water_c: { words: "the water", unit: "°C" },
  yield_g: { words: "the drink", unit: "g" },
};
const FIGURES: Record<
  Wanted["figure"],
  { words: string; unit: string; digits: number; field: keyof ShotLine; within: number }
> = {
  shot_time_s: { words: "shot time", unit: "s", digits: 1, field: "shot_time_s", within: 1 },
  first_drip_s: { words: "first drip", unit: "s", digits: 1, field: "first_drip_s", within: 0.7 },
  tds_pct: { words: "strength", unit: "%", digits: 2, field: "tds_pct", within: 0.3 },
  extraction_yield_pct: {
    words: "extraction",
    unit: "%",
    digits: 1,
    field: "extraction_yield_pct",
    within: 0.5,
  },
};

/** One number moved shot by shot until a figure is where it is wanted. */
export function GuidedRun({ shot, coffeeId }: { shot: ShotLine; coffeeId: number }) {
  const run = useQuery(guidedRunQuery(coffeeId));
  if (run.data === undefined) return null;
  return (
    <section className="mt-2" aria-label="Guided run">
      {run.data ? (
        <UnderWay run={run.data} />
      ) : (
        <p className="text-quiet">
          Only a figure is off?{" "}
          <Word words="Move one number shot by shot" label="Guided run" className="w-96">
            {(close) => <Begin shot={shot} coffeeId={coffeeId} close={close} />}
          </Word>{" "}
          until it is where you want it.
        </p>
      )}
    </section>
  );
}

function Begin(props: { shot: ShotLine; coffeeId: number; close: () => void }) {
  const { shot, coffeeId, close } = props;
  const [number, setNumber] = useState<Wanted["number"]>("grind_setting");
  const [figure, setFigure] = useState<Wanted["figure"]>("shot_time_s");
  const of = FIGURES[figure];
  const measured = shot[of.field] as number | null;
  const [at, setAt] = useState<Typed>(measured === null ? "" : Math.round(measured));
  const [within, setWithin] = useState<Typed>(of.within);
  const queryClient = useQueryClient();
  const start = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/shots/{shot_id}/guided-run", {
          params: { path: { shot_id: shot.id } },
          body: { number, figure, at: at as number, within: within as number },
        }),
      ),
    onSuccess: async (run) => {
      await keepAnswer(queryClient, guidedRunQuery(coffeeId).queryKey, run);
      close();
    },
  });
  const choose = (next: Wanted["figure"]) => {
    setFigure(next);
    const value = shot[FIGURES[next].field] as number | null;
    setAt(value === null ? "" : Number(value.toFixed(FIGURES[next].digits)));
    setWithin(FIGURES[next].within);
  };
  return (
    <form
      className="grid gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate();
      }}
    >
      <span className={styles.row}>
        Move{" "}
        <Choice label="Number" value={number} options={options(NUMBERS)} onChange={setNumber} />{" "}
        until <Choice label="Figure" value={figure} options={options(FIGURES)} onChange={choose} />
      </span>
      <span className={styles.row}>
        is <NumberField label="Wanted" value={at} onChange={setAt} /> {of.unit}, within{" "}
        <NumberField label="Within" value={within} onChange={setWithin} /> {of.unit}
      </span>
      <span className="text-quiet">
        {measured === null
          ? `This shot's ${of.words} was not measured yet.`
          : `It is ${measured.toFixed(of.digits)} ${of.unit} now.`}{" "}
        At most four more shots; everything else stays as it is.
      </span>
      {start.error && <FieldError>{failureWords(start.error) ?? ""}</FieldError>}
      <Button type="submit" disabled={start.isPending}>
        Begin with shot {shot.id}
      </Button>
    </form>
  );
}

function options<T extends string>(of: Record<T, { words: string }>) {
  return (Object.keys(of) as T[]).map((value) => ({ value, words: of[value].words }));
}

function UnderWay({ run }: { run: Run }) {
  const { wanted, tries, step, shot } = run;
  const [number, figure] = [NUMBERS[wanted.number], FIGURES[wanted.figure]];
  const told = (of: Wanted["number"], value: number) => amount(value, NUMBERS[of].unit);
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const onBench = useRecipeOnBench();
  const key = guidedRunQuery(run.coffee_id).queryKey;
  const set = useMutation({
    mutationFn: (value: number) =>
      onBench({
        coffee_id: run.coffee_id,
        grind_setting: shot.grind_setting,
        dose_g: shot.dose_g,
        water_c: shot.water_c,
        yield_g: shot.target_yield_g,
        [wanted.number]: value,
      }),
    onSuccess: () => navigate(`/pull/${shot.profile_id}/${shot.number}`),
  });
  const end = useMutation({
    mutationFn: () =>
      answered(
        client.DELETE("/api/coffees/{coffee_id}/guided-run", {
          params: { path: { coffee_id: run.coffee_id } },
        }),
      ),
    onSuccess: () => keepAnswer(queryClient, key, null),
  });
  return (
    <div className="rounded-sm border border-rule bg-sheet px-3 py-2" data-state={step?.state}>
      <p className="flex flex-wrap items-baseline justify-between gap-2">
        <b>
          Guided run: {number.words} until {figure.words} is {plain(wanted.at)} ±{" "}
          {plain(wanted.within)} {figure.unit}
        </b>
        <button type="button" className={styles.word} onClick={() => end.mutate()}>
          End it
        </button>
      </p>
      <DataTable
        what="Shot"
        heads={[number.words, figure.words]}
        className={cn(styles.doneTable, "mt-1 max-w-96")}
        lines={tries.map((one) => ({
          id: String(one.shot_id),
          name: `shot ${one.shot_id}`,
          cells: [
            told(wanted.number, one.value),
            one.measured === null
              ? "not measured"
              : `${one.measured.toFixed(figure.digits)} ${figure.unit}`,
          ],
        }))}
      />
      <p className="mt-1.5 flex flex-wrap items-center gap-2">
        {step === null ? (
          <span>Measure the {figure.words} of the last shot: the next step follows from it.</span>
        ) : (
          <>
            <span>{step.words}</span>
            {step.value !== null && (
              <Button disabled={set.isPending} onClick={() => set.mutate(step.value as number)}>
                Set {number.words} to {told(wanted.number, step.value)} and pull
              </Button>
            )}
          </>
        )}
      </p>
      {(set.error ?? end.error) && (
        <FieldError>{failureWords(set.error ?? end.error) ?? ""}</FieldError>
      )}
    </div>
  );
}

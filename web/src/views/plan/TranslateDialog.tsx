import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Bench, Translation } from "../../api/client";
import { benchQuery, machinesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { PUMP_ON } from "../../charts/frame";
import { bareForecast } from "../../profile/bareForecast";
import { apartWords, differenceCells, differenceHeads } from "../../profile/differences";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { asProfile, loosened } from "../../profile/loose";
import type { ForecastNow } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { useFreeName, useStartProfile } from "../../profile/useStartProfile";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/DataTable";
import { Modal } from "../../ui/Modal";
import { FieldError } from "../../ui/NumberField";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { useCheck } from "./FitsMachine";
import { type Gates, useTranslating } from "./useTranslating";

const DIFFERENCES =
  "mt-1.5 border-collapse text-small [&_th]:py-px [&_th]:pr-3.5 [&_th]:pl-0 [&_th]:font-normal [&_th]:text-quiet [&_th]:text-left [&_th]:whitespace-nowrap [&_td]:py-px [&_td]:pr-3.5 [&_td]:pl-0 [&_td]:tabular-nums [&_td]:text-right [&_thead_th:not(:first-child)]:text-right [&_tbody_tr:first-child>*]:font-semibold [&_tbody_tr:first-child>*]:text-ink";

/** The profile on another machine: searched, measured, looked at, and started as its own. */
export function TranslateDialog(props: {
  open: boolean;
  close: () => void;
  planned: Planned;
  now: ForecastNow;
}) {
  const { open, close, planned, now } = props;
  const bench = useQuery(benchQuery());
  return (
    <Modal open={open} close={close} wide title={<>Translate {planned.profile.name}</>}>
      {bench.data && <Translate bench={bench.data} planned={planned} now={now} close={close} />}
    </Modal>
  );
}

const GATES: readonly { value: Gates; words: string }[] = [
  { value: "time", words: "time" },
  { value: "pressure", words: "pressure" },
  { value: "weight", words: "weight" },
];

function Translate(props: { bench: Bench; planned: Planned; now: ForecastNow; close: () => void }) {
  const { bench, planned, now, close } = props;
  const machines = useQuery(machinesQuery());
  const others = machines.data ?? [];
  const [chosen, setTarget] = useState<number>();
  const check = useCheck(planned.profile, now);
  const fits = !check || check.misfits.length === 0;
  // What does not fit here is first wanted here; what does, elsewhere.
  const other = others.find((one) => one.id !== bench.machine.id)?.id;
  const target = chosen ?? (check && (fits ? other : bench.machine.id));
  const [smooth, setSmooth] = useState(false);
  const [gates, setGates] = useState<Gates>("time");
  const run = useTranslating();
  const { start, stop } = run;
  const profile = useRef(planned.profile);
  // Asked again whenever what is wanted changes; the one before is stopped.
  useEffect(() => {
    if (target === undefined) return;
    start({ profile: asProfile(profile.current), machine_id: target, smooth, gates });
    return stop;
  }, [target, smooth, gates, start, stop]);
  if (machines.data && check && target === undefined)
    return <p>Put a second machine on the shelf first, and it can be translated for.</p>;
  return (
    <div>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <span className="flex items-center gap-2">
          from {fits ? bench.machine.name : "a machine that can run it"} to
          <Choice
            label="Machine to translate for"
            value={String(target ?? "")}
            options={others.map((one) => ({ value: String(one.id), words: one.name }))}
            onChange={(value) => setTarget(Number(value))}
          />
        </span>
        <span className="flex items-center gap-2">
          stages end by
          <Segments label="Stages end by" value={gates} options={GATES} onChange={setGates} />
        </span>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={smooth}
            onChange={(event) => setSmooth(event.target.checked)}
          />
          in smooth moves
        </label>
      </div>
      {run.searching && (
        <p className="mt-2 flex items-center gap-3" role="status">
          <progress
            className="appearance-none w-35 h-1.5 rounded-[3px] overflow-hidden bg-rule [&::-webkit-progress-bar]:bg-rule [&::-webkit-progress-value]:bg-action [&::-moz-progress-bar]:bg-action"
            value={run.share}
            max={1}
            aria-label="Search"
          />
          <span className="text-quiet">
            Searching what it can do
            {run.distance !== undefined && `: ${run.distance.toFixed(1)} difference so far`}
          </span>
          <Button onClick={run.finish} disabled={!run.best}>
            Stop here
          </Button>
        </p>
      )}
      {run.error && <FieldError>{failureWords(run.error) ?? ""}</FieldError>}
      {run.translation && run.target !== undefined && run.target === target ? (
        <Translated
          found={run.translation}
          machineId={run.target}
          bench={bench}
          planned={planned}
          close={close}
        />
      ) : (
        <p className="mt-3">
          <Button onClick={close}>Cancel</Button>
        </p>
      )}
    </div>
  );
}

function Translated(props: {
  found: Translation;
  machineId: number;
  bench: Bench;
  planned: Planned;
  close: () => void;
}) {
  const { found, machineId, bench, planned, close } = props;
  return (
    <>
      <div className={styles.styleChart}>
        <ForecastChart
          extent={forecastExtent(found.before, found.after)}
          axis={PUMP_ON}
          answered={{
            forecast: bareForecast(found.after),
            profile: loosened(found.profile),
          }}
          ghost={found.before}
          ghostName="as planned"
        />
      </div>
      <p className="mt-2" role="status">
        On {found.machine_name} it <b>{apartWords(found.difference.distance)}</b>. Lost:{" "}
        <span className="text-quiet">{found.lost.join("; ")}.</span>
      </p>
      <Table found={found} />
      <Begin {...{ found, machineId, bench, planned, close }} />
    </>
  );
}

function Table({ found }: { found: Translation }) {
  const rows = [
    { name: "translated", one: found.difference },
    ...found.shifts.map((shift) => ({
      name: `ground ${Math.abs(shift.by_um)} µm ${shift.by_um < 0 ? "finer" : "coarser"}`,
      one: shift.difference,
    })),
    { name: "with simple fixes", one: found.plain },
  ];
  return (
    <div className="overflow-x-auto">
      <DataTable
        what="Against the plan"
        shown
        heads={differenceHeads()}
        className={DIFFERENCES}
        lines={rows.map(({ name, one }) => ({ name, cells: differenceCells(one) }))}
      />
    </div>
  );
}

function Begin(props: {
  found: Translation;
  machineId: number;
  bench: Bench;
  planned: Planned;
  close: () => void;
}) {
  const { found, machineId, bench, planned, close } = props;
  const here = machineId === bench.machine.id;
  const [typed, setName] = useState<string>();
  const free = useFreeName(`${planned.profile.name} on ${found.machine_name}`);
  const name = typed ?? free;
  const [along, setAlong] = useState(true);
  const begin = useStartProfile(close);
  const moves = along ? { machine_id: machineId } : {};
  const take = () => {
    planned.edit("", { ...loosened(found.profile), name: planned.profile.name });
    close();
  };
  return (
    <form
      className={styles.styleBegin}
      onSubmit={(event) => {
        event.preventDefault();
        if (here) take();
        else begin.mutate({ name, profile: found.profile, bench: moves });
      }}
    >
      {!here && (
        <>
          <input
            className={cn(styles.textField, "min-w-0 flex-1")}
            data-ui="field"
            aria-label="Name of the translation"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={along}
              onChange={(event) => setAlong(event.target.checked)}
            />
            and put {found.machine_name} on the bench
          </label>
        </>
      )}
      <Button type="submit" kind="main" className="px-4!" disabled={begin.isPending}>
        {here ? "Apply to this draft" : "Save as a new profile"}
      </Button>
      <Button onClick={close}>Cancel</Button>
      {begin.error && <FieldError>{failureWords(begin.error) ?? ""}</FieldError>}
    </form>
  );
}

import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { type Ask, answered, client, type Suggested } from "../../api/client";
import { failureWords } from "../../api/refusals";
import { asProfile, type LooseProfile, loosened } from "../../profile/loose";
import type { Planned } from "../../profile/usePlanned";
import { Button } from "../../ui/Button";
import { DataTable } from "../../ui/DataTable";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { effectsOf } from "./effects";
import { Offered } from "./Offered";

const SHIFTS =
  "justify-self-start text-small leading-4 [&_th]:py-px [&_th]:pr-4.5 [&_th]:pl-0 [&_th]:text-left [&_th]:tabular-nums [&_td]:py-px [&_td]:pr-4.5 [&_td]:pl-0 [&_td]:text-left [&_td]:tabular-nums [&_th]:font-normal [&_th]:text-quiet";

/** Suggestions that compute; each is looked at before it is taken. */
export function SuggestPanel({ planned, selected }: { planned: Planned; selected: number }) {
  const { profile } = planned;
  const [about, setAbout] = useState<LooseProfile>();
  const suggest = useMutation({
    mutationFn: (ask: Ask) =>
      answered(
        client.POST("/api/bench/suggestions", { body: { profile: asProfile(profile), ask } }),
      ),
  });
  const ask = (what: Ask) => {
    setAbout(profile);
    suggest.mutate(what);
  };
  const found = about === profile ? suggest.data : undefined;
  return (
    <section className={styles.editor} data-ui="editor" aria-label="Suggest">
      {found ? (
        <Found found={found} planned={planned} leave={() => suggest.reset()} />
      ) : (
        <Asks planned={planned} selected={selected} ask={ask} busy={suggest.isPending} />
      )}
      {suggest.error && about === profile && (
        <FieldError>{failureWords(suggest.error) ?? ""}</FieldError>
      )}
    </section>
  );
}

function Asks(props: {
  planned: Planned;
  selected: number;
  ask: (ask: Ask) => void;
  busy: boolean;
}) {
  const { planned, selected, ask, busy } = props;
  const { phases } = planned.profile;
  const flow = byFlow(phases, selected);
  const soak = soaking(phases, selected);
  const [low, setLow] = useState<Typed>(7);
  const [high, setHigh] = useState<Typed>(9);
  return (
    <ul className="grid gap-1.25 [&_li]:flex [&_li]:flex-wrap [&_li]:items-center [&_li]:gap-y-1 [&_li]:gap-x-2.5 [&_[data-ui=button]]:min-w-51.5">
      <li>
        <Button disabled={busy} onClick={() => ask({ what: "decline_start" })}>
          When to start the decline
        </Button>
        <span className="text-quiet">so that the cup's flow does not run away</span>
      </li>
      <li>
        <Button
          disabled={busy || soak < 0}
          onClick={() => ask({ what: "pre_infusion_length", phase: soak })}
        >
          How long to pre-infuse
        </Button>
        <span className="text-quiet">
          {soak < 0
            ? "there is no phase before the press"
            : `${phases[soak]?.name}: until head and puck are full`}
        </span>
      </li>
      <li>
        <Button
          disabled={busy || flow < 0}
          onClick={() =>
            ask({
              what: "flow_for_band",
              phase: flow,
              low_bar: low as number,
              high_bar: high as number,
            })
          }
        >
          A flow for a pressure band
        </Button>
        {flow < 0 ? (
          <span className="text-quiet">no phase commands flow</span>
        ) : (
          <span className={cn(styles.groupOf, "text-quiet")}>
            <span className="leading-7">{phases[flow]?.name}: from</span>
            <NumberField label="Band from" value={low} onChange={setLow} step={0.5} width={44} />
            <span className="leading-7">to</span>
            <NumberField label="Band to" value={high} onChange={setHigh} step={0.5} width={44} />
            <span className="leading-7">bar</span>
          </span>
        )}
      </li>
      <li>
        <Button disabled={busy} onClick={() => ask({ what: "index_by_water" })}>
          Count along water
        </Button>
        <span className="text-quiet">and what a grind change does to each</span>
      </li>
    </ul>
  );
}

/** The open phase if it fits, else the last that commands flow. */
function byFlow(phases: LooseProfile["phases"], selected: number) {
  if (phases[selected]?.command.control === "flow") return selected;
  return phases.findLastIndex((phase) => phase.command.control === "flow");
}

const SOAKS = ["fill", "pre-infusion"];

function soaking(phases: LooseProfile["phases"], selected: number) {
  if (SOAKS.includes(phases[selected]?.kind ?? "")) return selected;
  const soak = phases.findIndex((phase) => phase.kind === "pre-infusion");
  return soak >= 0 ? soak : phases.findIndex((phase) => phase.kind === "fill");
}

function Found(props: { found: Suggested; planned: Planned; leave: () => void }) {
  const { found, planned, leave } = props;
  const take = () => {
    planned.edit("", loosened(found.profile));
    leave();
  };
  return (
    <Offered
      profileId={planned.id}
      words={found.words}
      effects={effectsOf(found.before, found.after)}
      prediction={found.after}
      reached={found.reached}
      take={found.changed ? take : undefined}
      leave={leave}
    >
      {found.shifts.length > 0 && (
        <DataTable
          what="20 µm finer to 20 µm coarser"
          shown
          heads={["shot time difference", "extraction difference", "peak difference"]}
          className={SHIFTS}
          lines={found.shifts.map((one) => ({
            name: one.name,
            cells: [
              `${one.shot_time_s?.toFixed(1) ?? "?"} s`,
              `${one.extraction_yield_pct?.toFixed(1) ?? "?"} points`,
              `${one.peak_pressure_bar?.toFixed(1) ?? "?"} bar`,
            ],
          }))}
        />
      )}
    </Offered>
  );
}

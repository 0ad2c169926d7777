import { Plus } from "lucide-react";
import type { RefusedField } from "../../api/client";
import { phaseAfter } from "../../profile/loose";
import { wordsAgainst } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { Button } from "../../ui/Button";
import { FieldError, NumberField } from "../../ui/NumberField";
import { styles } from "../../ui/styles";
import { readUnit } from "../../ui/units";

interface Props {
  planned: Planned;
  select: (index: number) => void;
  problems: RefusedField[];
}

/** When the shot ends, whatever phase it is in. */
export function StopEditor({ planned, select, problems }: Props) {
  const { profile, edit } = planned;
  const { stop, phases } = profile;
  const set = (name: keyof typeof stop) => (value: number | string | null) =>
    edit(`stop.${name}`, { ...profile, stop: { ...stop, [name]: value } });
  const none = wordsAgainst(problems, "phases");
  return (
    <section className={styles.editor} data-ui="editor" data-editor aria-label="Stop">
      <div className={styles.row}>
        <strong className="leading-7">Stop</strong>
        <span className="leading-7">whatever the phase, at</span>
        <Goal
          label="Stop weight"
          unit="g"
          then="in the cup,"
          value={stop.cup_g ?? null}
          set={set("cup_g")}
          step={0.5}
          error={wordsAgainst(problems, "stop.cup_g")}
        />
        <Goal
          label="Stop water"
          unit="mL"
          then="pumped, or after"
          value={stop.water_ml ?? null}
          set={set("water_ml")}
          step={1}
          error={wordsAgainst(problems, "stop.water_ml")}
        />
        <Goal
          label="Longest time"
          unit="s"
          value={stop.time_s}
          set={set("time_s")}
          step={1}
          open=""
          error={wordsAgainst(problems, "stop.time_s")}
        />
      </div>
      <div className={styles.row}>
        <span className="leading-7">For water of</span>
        <Goal
          label="Water it is meant for"
          unit="°C"
          value={profile.water_c ?? null}
          set={(water_c) => edit("water_c", { ...profile, water_c })}
          step={0.5}
          open="any"
          error={wordsAgainst(problems, "water_c")}
        />
      </div>
      <p className="text-quiet">
        The first of these that comes ends the shot. Drops still fall after it: the forecast says
        how many.
      </p>
      <div className={styles.row}>
        <Button
          onClick={() => {
            edit("", { ...profile, phases: [...phases, phaseAfter(phases.at(-1))] });
            select(phases.length);
          }}
        >
          <Plus size={14} aria-hidden="true" /> Add a phase
        </Button>
        {none && <FieldError>{`no phases: ${none}`}</FieldError>}
      </div>
    </section>
  );
}

function Goal(props: {
  label: string;
  unit: string;
  then?: string;
  value: number | string | null;
  set: (value: number | string | null) => void;
  step: number;
  /** What stands in an empty field. */
  open?: string;
  error: string | undefined;
}) {
  return (
    <span className={styles.groupOf}>
      <NumberField
        label={props.label}
        value={props.value}
        step={props.step}
        unit={props.unit}
        placeholder={props.open ?? "none"}
        error={props.error}
        onChange={props.set}
      />
      <span className="leading-7">{`${readUnit(props.unit)} ${props.then ?? ""}`.trimEnd()}</span>
    </span>
  );
}

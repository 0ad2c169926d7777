import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import type { Alignment, Overlays, Shot, ShotLine } from "../../api/client";
import { shotsQuery } from "../../api/queries";
import { moment } from "../../ui/format";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { grams } from "../../ui/units";

export const MOST_OVER = 6;

export const alignments = (): readonly { value: Alignment; words: string }[] => [
  { value: "pump_on", words: "Pump on" },
  { value: "first_drip", words: "First drip" },
  { value: "full_pressure", words: "Full pressure" },
  { value: "weight", words: grams(10) },
];

/** Under the chart: what lies over the shot, and on which moment all are aligned. */
export function OverBar(props: {
  shot: Shot;
  overlays: Overlays | undefined;
  over: number[];
  setOver: (over: number[]) => void;
  alignment: Alignment;
  setAlignment: (alignment: Alignment) => void;
  adding: boolean;
  setAdding: (adding: boolean) => void;
}) {
  const { shot, overlays, over, setOver, adding, setAdding } = props;
  const pulls = overlays?.band?.pulls ?? 0;
  const never = overlays?.at_s === null;
  const compared = [shot.id, ...over].sort((a, b) => a - b).join(",");
  return (
    <div
      className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1.5 px-1 pt-2"
      data-part="over-bar"
    >
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1">
        <span>
          Over it:{" "}
          {pulls > 0 && (
            <b>
              {pulls} other pulls of v{shot.number}
            </b>
          )}
          {pulls > 0 && ", as a band"}
        </span>
        {over.map((id) => (
          <Chip
            key={id}
            id={id}
            lost={overlays?.over.find((one) => one.shot.id === id)?.shift_s === null}
            remove={() => setOver(over.filter((one) => one !== id))}
          />
        ))}
        {over.length < MOST_OVER &&
          (adding ? (
            <AddShot
              shot={shot}
              over={over}
              add={(id) => {
                setOver([...over, id]);
                setAdding(false);
              }}
              close={() => setAdding(false)}
            />
          ) : (
            <button type="button" className={styles.word} onClick={() => setAdding(true)}>
              add a shot
            </button>
          ))}
        {over.length > 0 && (
          <Link className={styles.word} to={`/taste/several?shots=${compared}`}>
            compare them
          </Link>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-2">
        <span>{never ? <b className="text-warn">this shot never came to</b> : "aligned on"}</span>
        <Segments
          label="Aligned on"
          value={props.alignment}
          options={alignments()}
          onChange={props.setAlignment}
        />
      </div>
    </div>
  );
}

function Chip({ id, lost, remove }: { id: number; lost: boolean; remove: () => void }) {
  return (
    <span
      className="inline-flex items-center gap-1 rounded-sm border border-edge py-0.5 pr-1 pl-2"
      data-over={id}
    >
      shot {id}
      {lost && <span className="text-warn">cannot be aligned</span>}
      <button type="button" aria-label={`Remove shot ${id}`} onClick={remove}>
        <X size={13} aria-hidden="true" />
      </button>
    </span>
  );
}

/** A list of shots to choose from by typing. */
function AddShot(props: {
  shot: Shot;
  over: number[];
  add: (id: number) => void;
  close: () => void;
}) {
  const { shot, over, add, close } = props;
  const [typed, setTyped] = useState("");
  const shots = useQuery(shotsQuery());
  const found = (shots.data ?? [])
    .filter((one) => one.state === "done" && one.id !== shot.id && !over.includes(one.id))
    .filter((one) => named(one).toLowerCase().includes(typed.toLowerCase()))
    .slice(0, 40);
  return (
    <Combobox immediate onChange={(id: number | null) => id !== null && add(id)} onClose={close}>
      <ComboboxInput
        autoFocus
        aria-label="Shot to overlay"
        placeholder="profile, coffee or number"
        className={cn(styles.textField, "w-56")}
        data-ui="field"
        onChange={(event) => setTyped(event.target.value)}
      />
      <ComboboxOptions
        anchor={{ to: "top start", gap: 4 }}
        className={cn(styles.panel, "z-50 max-h-72 w-96 max-w-[90vw] overflow-y-auto p-1")}
      >
        {found.length === 0 && <p className="px-2 py-1 text-quiet">No other shot.</p>}
        {found.map((one) => (
          <ComboboxOption
            key={one.id}
            value={one.id}
            className="cursor-pointer rounded-sm px-2 py-1 data-focus:bg-tint"
          >
            {named(one)}
            {one.set_aside && <span className="text-quiet"> set aside</span>}
          </ComboboxOption>
        ))}
      </ComboboxOptions>
    </Combobox>
  );
}

function named(shot: ShotLine) {
  return `Shot ${shot.id}, ${shot.profile_name} v${shot.number}, ${shot.coffee ?? "coffee unknown"}, ${moment(shot.started_at)}`;
}

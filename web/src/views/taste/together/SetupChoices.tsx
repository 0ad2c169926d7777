import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useRef, useState } from "react";
import type { SessionSetup } from "../../../api/client";
import { tastersQuery } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { NumberField, type Typed } from "../../../ui/NumberField";
import { Segments } from "../../../ui/Segments";
import { cn, styles } from "../../../ui/styles";
import { Tick, toggled } from "../../../ui/Tick";
import { readUnit } from "../../../ui/units";
import { KINDS, type Kind } from "./words";

const MOST_TASTERS = 8;

/** A part of the setup, and how it is changed. */
export interface Part {
  setup: SessionSetup;
  change: (part: Partial<SessionSetup>) => void;
}

export function Blind({ setup, change }: Part) {
  return (
    <div className="grid gap-2">
      <Segments
        label="Blind"
        value={setup.blind ? "blind" : "open"}
        options={[
          { value: "blind", words: "Blind" },
          { value: "open", words: "Not blind" },
        ]}
        onChange={(value) => change({ blind: value === "blind" })}
      />
      <p className="text-small text-quiet">
        Each cup gets a three-digit code. Somebody who does not taste pours, following the serving
        sheet.
      </p>
    </div>
  );
}

export function KindChoice({ setup, change, close }: Part & { close: () => void }) {
  return (
    <div className="grid gap-0.5">
      {(Object.keys(KINDS) as Kind[]).map((kind) => (
        <button
          key={kind}
          type="button"
          aria-pressed={kind === setup.kind}
          onClick={() => {
            change({ kind });
            close();
          }}
          className={cn(
            "rounded-sm px-2 py-1 text-left hover:bg-tint",
            kind === setup.kind && "bg-tint shadow-[inset_3px_0_var(--action)]",
          )}
        >
          <span className="font-medium first-letter:uppercase">{KINDS[kind].words}</span>
          <span className="block text-small text-quiet">{KINDS[kind].why}</span>
        </button>
      ))}
    </div>
  );
}

export function Rounds({ setup, change }: Part) {
  const typed = (value: Typed) => typeof value === "number" && change({ rounds: value });
  return (
    <div className="grid gap-2">
      <span className="flex items-center gap-2">
        Each taster is served
        <NumberField label="Rounds" value={setup.rounds} step={1} onChange={typed} /> times
      </span>
      <p className="text-small text-quiet">More rounds give a surer answer and need more coffee.</p>
    </div>
  );
}

export function Tasters({ setup, change }: Part) {
  const known = useQuery(tastersQuery());
  const [name, setName] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const has = (one: string) =>
    setup.tasters.some((other) => other.toLowerCase() === one.toLowerCase());
  const add = (one: string) => {
    const clean = one.trim();
    if (clean !== "" && !has(clean) && setup.tasters.length < MOST_TASTERS)
      change({ tasters: [...setup.tasters, clean] });
    setName("");
    field.current?.focus(); // the button that had the focus may be gone
  };
  return (
    <div className="grid gap-2">
      <ul className="flex flex-wrap gap-1.5">
        {setup.tasters.map((one) => (
          <li key={one}>
            <Button
              aria-label={`Leave ${one} out`}
              onClick={() => {
                change({ tasters: setup.tasters.filter((other) => other !== one) });
                field.current?.focus();
              }}
            >
              <span className="max-w-48 truncate">{one}</span>
              <X size={13} aria-hidden="true" />
            </Button>
          </li>
        ))}
      </ul>
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          add(name);
        }}
      >
        <input
          ref={field}
          aria-label="Name of a taster"
          placeholder="Name"
          maxLength={60}
          className={cn(styles.textField, "min-w-0 flex-1")}
          data-ui="field"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <Button type="submit" disabled={name.trim() === "" || has(name.trim())}>
          Add
        </Button>
      </form>
      <div className="flex max-h-32 flex-wrap gap-1.5 overflow-y-auto">
        {known.data
          ?.filter((one) => !has(one))
          .map((one) => (
            <Button key={one} onClick={() => add(one)}>
              {one}
            </Button>
          ))}
      </div>
    </div>
  );
}

export function ServedChoice({ setup, change }: Part) {
  return (
    <div className="grid gap-2">
      <Segments
        label="Served"
        value={setup.served}
        options={[
          { value: "straight", words: "Straight" },
          { value: "milk", words: "In milk" },
        ]}
        onChange={(served) =>
          change(served === "milk" ? { served, milk_g: 120 } : { served, milk_g: null })
        }
      />
      {setup.served === "milk" && (
        <span className="flex items-center gap-2">
          with
          <NumberField
            label="Milk"
            value={setup.milk_g ?? null}
            step={10}
            unit="g"
            onChange={(value) =>
              (typeof value === "number" || value === null) && change({ milk_g: value })
            }
          />
          {readUnit("g")} of milk, kept cold until it is used
        </span>
      )}
    </div>
  );
}

const WARMTHS = ["hot", "warm", "cool"] as const;
const AT = { hot: "after 1 minute", warm: "after 5", cool: "after 12" };

export function Warmths({ setup, change }: Part) {
  return (
    <div className="grid">
      {WARMTHS.map((warmth) => {
        const on = setup.warmths.includes(warmth);
        return (
          <Tick
            key={warmth}
            on={on}
            disabled={on && setup.warmths.length === 1}
            words={`${warmth}, ${AT[warmth]}`}
            change={(next) => {
              const picked = toggled(setup.warmths, warmth, next);
              change({ warmths: WARMTHS.filter((one) => picked.includes(one)) });
            }}
          />
        );
      })}
    </div>
  );
}

export function Duplicate({ setup, change }: Part) {
  return (
    <div className="grid gap-2">
      <Tick
        on={setup.duplicate}
        words="Serve one of them twice, under two codes"
        change={(duplicate) => change({ duplicate })}
      />
      <p className="text-small text-quiet">
        It measures how much one taster’s scores vary for the same drink; differences between drinks
        are compared with that.
      </p>
    </div>
  );
}

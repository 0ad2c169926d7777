import { useQuery } from "@tanstack/react-query";
import type { Attribute, SessionSetup, ShotLine } from "../../../api/client";
import { houseLinesQuery } from "../../../api/house";
import { formQuery } from "../../../api/queries";
import { listed } from "../../../ui/format";
import { Tick, toggled } from "../../../ui/Tick";
import { grams } from "../../../ui/units";
import { Word } from "../../../ui/Word";
import { ShotChoice } from "../ShotChoice";
import {
  Blind,
  Duplicate,
  KindChoice,
  type Part,
  Rounds,
  ServedChoice,
  Tasters,
  Warmths,
} from "./SetupChoices";
import { cupsWord, KINDS, numberWord } from "./words";

const MOST_SHOTS = 6;

interface Props {
  setup: SessionSetup;
  shots: ShotLine[];
  cups: number | undefined;
  change: (part: Partial<SessionSetup>) => void;
}

/** The whole setup in one sentence; each underlined word opens in place. */
export function SetupSentence({ setup, shots, cups, change }: Props) {
  const chosen = setup.shot_ids.flatMap((id) => shots.find((shot) => shot.id === id) ?? []);
  const repeats = setup.kind === "pair" || setup.kind === "triangle";
  return (
    <p className="max-w-[760px] text-[18px] leading-9">
      {cupsWord(cups ?? chosen.length)} from{" "}
      <Word words={shotWords(chosen)} label="Shots" className="w-96">
        {() => (
          <ShotChoice
            chosen={setup.shot_ids}
            most={MOST_SHOTS}
            shots={shots}
            change={(shot_ids) => change({ shot_ids })}
          />
        )}
      </Word>
      ,{" "}
      <Word words={setup.blind ? "blind" : "not blind"} label="Blind">
        {() => <Blind setup={setup} change={change} />}
      </Word>
      ,{" "}
      <Word words={KINDS[setup.kind].words} label="Kind">
        {(close) => <KindChoice setup={setup} change={change} close={close} />}
      </Word>
      {setup.kind === "describe" && (
        <>
          {" on "}
          <Lines setup={setup} change={change} />
        </>
      )}
      {setup.kind === "pair" && (
        <>
          {", asked "}
          <Questions setup={setup} change={change} />
        </>
      )}
      {repeats && (
        <>
          {", "}
          <Word words={roundWords(setup.rounds)} label="Rounds">
            {() => <Rounds setup={setup} change={change} />}
          </Word>
        </>
      )}
      {" by "}
      <Word words={listed(setup.tasters) || "nobody yet"} label="Tasters">
        {() => <Tasters setup={setup} change={change} />}
      </Word>
      ,{" "}
      <Word words={servedWords(setup)} label="Served">
        {() => <ServedChoice setup={setup} change={change} />}
      </Word>
      {setup.kind === "describe" && (
        <>
          {", "}
          <Word words={listed(setup.warmths)} label="Warmth">
            {() => <Warmths setup={setup} change={change} />}
          </Word>
        </>
      )}
      {!repeats && (
        <>
          {", "}
          <Word
            words={setup.duplicate ? "with a hidden duplicate" : "no duplicate"}
            label="Duplicate"
          >
            {() => <Duplicate setup={setup} change={change} />}
          </Word>
        </>
      )}
      .
    </p>
  );
}

function shotWords(shots: ShotLine[]) {
  if (shots.length === 0) return "no shots yet";
  const names = new Set(shots.map((shot) => shot.profile_name));
  if (names.size === shots.length && shots.length < 3)
    return listed(shots.map((shot) => `${shot.profile_name} v${shot.number}`));
  const numbers = shots.map((shot) => String(shot.id));
  return `${shots.length === 1 ? "shot" : "shots"} ${listed(numbers)}`;
}

function roundWords(rounds: number) {
  return rounds === 1 ? "once each" : `${numberWord(rounds).toLowerCase()} times each`;
}

function servedWords(setup: SessionSetup) {
  if (setup.served === "straight") return "straight";
  return setup.milk_g ? `in ${grams(setup.milk_g)} of milk` : "in milk";
}

function Lines({ setup, change }: Part) {
  const form = useQuery(formQuery());
  const house = useQuery(houseLinesQuery());
  const lines = setup.lines ?? house.data?.lines ?? [];
  const count = lines.length;
  return (
    <Word words={`${numberWord(count).toLowerCase()} lines`} label="Lines">
      {() => (
        <div className="grid grid-cols-2">
          {form.data?.attributes.map((one) => (
            <Tick
              key={one.field}
              on={lines.includes(one.field as never)}
              words={one.name}
              change={(on) => change({ lines: toggled(lines, one.field as never, on) })}
            />
          ))}
        </div>
      )}
    </Word>
  );
}

function Questions({ setup, change }: Part) {
  const form = useQuery(formQuery());
  const attributes = (form.data?.attributes ?? []).filter((one) => one.field !== "liking");
  return (
    <Word words={questionWords(setup, attributes)} label="Questions" className="w-80">
      {() => (
        <div className="grid grid-cols-2">
          <Tick
            on={setup.questions.includes("preferred")}
            words="which is preferred"
            change={(on) => change({ questions: toggled(setup.questions, "preferred", on) })}
          />
          {attributes.map((one) => (
            <Tick
              key={one.field}
              on={setup.questions.includes(one.field as never)}
              words={`which is ${one.more}`}
              change={(on) =>
                change({ questions: toggled(setup.questions, one.field as never, on) })
              }
            />
          ))}
        </div>
      )}
    </Word>
  );
}

function questionWords(setup: SessionSetup, attributes: Attribute[]) {
  const words = setup.questions.map((question) =>
    question === "preferred"
      ? "preferred"
      : (attributes.find((one) => one.field === question)?.more ?? question),
  );
  return words.length === 0 ? "nothing yet" : `which is ${listed(words)}`;
}

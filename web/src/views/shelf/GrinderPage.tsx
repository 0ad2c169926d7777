import { useQuery } from "@tanstack/react-query";
import type { Grinder } from "../../api/client";
import { grindersQuery } from "../../api/queries";
import { GrinderPoints } from "../../bench/GrinderPoints";
import { NEW_GRINDER, writeGrinder } from "../../bench/shelving";
import { type Json, Num, Part, Pick, Text } from "../../ui/DocumentForm";
import { listed } from "../../ui/format";
import { styles } from "../../ui/styles";
import { grams } from "../../ui/units";
import { Calibrations } from "./Calibrations";
import { GrinderPicture } from "./GrinderPicture";
import { ShelvedForm } from "./ShelvedForm";
import { TaughtPanel } from "./TaughtPanel";

/** A grinder and the points that turn its numbers into sizes. */
export function GrinderPage({ id }: { id: number | undefined }) {
  const grinders = useQuery(grindersQuery());
  const grinder = grinders.data?.find((one) => one.id === id);
  const start = grinder ? documentOf(grinder) : NEW_GRINDER;
  const options = knownTo(grinder);
  return (
    <div className={styles.shelfPage}>
      <ShelvedForm
        kind="grinder"
        thing={grinder}
        start={start}
        list={grindersQuery().queryKey}
        write={(document) => writeGrinder(document, grinder)}
        picture={grinder && <GrinderPicture grinder={grinder} />}
      >
        <Part name="The grinder" words={grinderSentence}>
          <Text path="name" label="Name" />
          <Num path="fines_pct" label="Fines at 300 µm" unit="%" step={1} placeholder="model" />
          <Num path="retention_g" label="Stays inside" unit="g" />
          <Num path="step" label="A click" unit="" step={0.5} placeholder="stepless" />
          <Text path="note" label="Note" lines={2} />
        </Part>
        <Part name="Its points" words={(said) => pointsSentence(said, options)}>
          <GrinderPoints />
          <Pick path="size_spread" label="These sizes are" options={options} />
        </Part>
      </ShelvedForm>
      {grinder && <TaughtPanel kind="grinder" id={grinder.id} />}
      {grinder && <Calibrations subject="grinder" id={grinder.id} />}
    </div>
  );
}

function documentOf(grinder: Grinder) {
  const { id: _id, etag: _etag, known_to: _known, ...rest } = grinder;
  return { ...rest, size_spread: String(rest.size_spread ?? 0) };
}

const MEASURED = { value: "0", words: "measured" };

/** How well sizes are known: as the answers to "which grinder" take it, and as it stands. */
function knownTo(grinder: Grinder | undefined) {
  const offered = (grinder?.known_to ?? []).map(({ spread, within_pct }) => ({
    value: String(spread),
    words: `known to ± ${within_pct.toFixed(0)} %`,
  }));
  return [MEASURED, ...offered];
}

function grinderSentence(said: Json) {
  const fines =
    said.fines_pct == null || said.fines_pct === ""
      ? "How many fines it makes is what the model says."
      : `It grinds ${said.fines_pct} % of a dose to fines at 300 µm.`;
  const inside = Number(said.retention_g)
    ? `${grams(Number(said.retention_g))} of a dose stay inside: after a new setting they are asked to be ground out.`
    : "Nothing stays inside.";
  const clicks = said.step == null ? "It is stepless." : `It clicks every ${said.step}.`;
  return `${fines} ${clicks} ${inside} ${String(said.note ?? "")}`;
}

function pointsSentence(said: Json, options: { value: string; words: string }[]) {
  const sizes = said.grind_um as unknown[];
  const pairs = (said.settings as unknown[]).map((setting, i) => `${sizes[i]} µm at ${setting}`);
  const known = options.find((one) => one.value === String(said.size_spread)) ?? MEASURED;
  return `${listed(pairs)}; ${known.words}.`;
}

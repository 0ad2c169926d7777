import { useQuery } from "@tanstack/react-query";
import { answered, client, type Preparation } from "../../api/client";
import { preparationsQuery } from "../../api/queries";
import { ifStill } from "../../bench/shelving";
import { type Json, Num, Part, Pick, Text, Tick } from "../../ui/DocumentForm";
import { styles } from "../../ui/styles";
import { PreparationPicture } from "./PreparationPicture";
import { ShelvedForm } from "./ShelvedForm";
import { VariantUses } from "./VariantUses";

const NEW_PREPARATION = {
  name: "",
  sprayed: false,
  clumps: "left",
  heap: "as it falls",
  leveller_mm: null,
  tamp: "by hand",
  tamp_kg: null,
  note: "",
};

const CLUMPS = [
  { value: "left", words: "left as ground" },
  { value: "stirred", words: "stirred with needles" },
  { value: "shaken", words: "shaken" },
  { value: "sieved", words: "sieved" },
] as const;
const HEAPS = [
  { value: "as it falls", words: "as it falls" },
  { value: "tapped level", words: "tapped level" },
] as const;
const TAMPS = [
  { value: "by hand", words: "by hand" },
  { value: "guided by the rim", words: "guided by the rim" },
] as const;

/** A way of preparing a puck: what is done, and how even its pucks were. */
export function PreparationPage({ id }: { id: number | undefined }) {
  const preparations = useQuery(preparationsQuery());
  const preparation = preparations.data?.find((one) => one.id === id);
  const start = preparation ? documentOf(preparation) : NEW_PREPARATION;
  const write = (document: Json) => {
    const body = document as unknown as Preparation;
    return answered(
      preparation === undefined
        ? client.POST("/api/preparations", { body })
        : client.PUT("/api/preparations/{preparation_id}", {
            params: { path: { preparation_id: preparation.id }, header: ifStill(preparation) },
            body,
          }),
    );
  };
  return (
    <div className={styles.shelfPage}>
      <ShelvedForm
        kind="preparation"
        thing={preparation}
        start={start}
        list={preparationsQuery().queryKey}
        write={write}
        picture={<PreparationPicture name={preparation ? "What is done" : "As answered below"} />}
      >
        <Part name="The preparation" words={preparationSentence}>
          <Text path="name" label="Name" />
          <Tick path="sprayed" label="Beans sprayed before grinding" />
          <Pick path="clumps" label="Clumps" options={CLUMPS} />
          <Pick path="heap" label="The heap" options={HEAPS} />
          <Num
            path="leveller_mm"
            label="Leveller below the rim"
            unit="mm"
            step={0.5}
            placeholder="none"
          />
          <Pick path="tamp" label="Tamped" options={TAMPS} />
          <Num path="tamp_kg" label="With" unit="kg" step={1} placeholder="unknown" />
          <Text path="note" label="Note" lines={2} />
        </Part>
      </ShelvedForm>
      {preparation && <VariantUses of="preparation" id={preparation.id} />}
    </div>
  );
}

function documentOf(preparation: Preparation) {
  const { id: _id, etag: _etag, steps: _steps, ...rest } = preparation;
  return rest;
}

function preparationSentence(said: Json) {
  const clumps = CLUMPS.find((one) => one.value === said.clumps)?.words;
  const steps = [
    said.sprayed ? "beans sprayed before grinding" : "",
    `clumps ${clumps}`,
    `the heap ${said.heap}`,
    said.leveller_mm == null ? "" : `a leveller ${said.leveller_mm} mm below the rim`,
    `tamped ${said.tamp}${said.tamp_kg == null ? "" : ` with ${said.tamp_kg} kg`}`,
  ].filter(Boolean);
  const sentence = steps.join(", ");
  return `${sentence.charAt(0).toUpperCase()}${sentence.slice(1)}. ${String(said.note ?? "")}`;
}

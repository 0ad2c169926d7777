import { useQuery } from "@tanstack/react-query";
import { answered, client, type Water } from "../../api/client";
import { watersQuery } from "../../api/queries";
import { ifStill } from "../../bench/shelving";
import { Button } from "../../ui/Button";
import { type Json, Num, Part, Text, useFieldValue, useSetPart } from "../../ui/DocumentForm";
import { styles } from "../../ui/styles";
import { ShelvedForm } from "./ShelvedForm";
import { WaterPicture } from "./WaterPicture";

const NEW_WATER = { name: "", hardness_mg_l: null, alkalinity_mg_l: null, salts: null, note: "" };

const SALTS = [
  { key: "magnesium_sulfate_mg_l", words: "Magnesium sulfate, MgSO₄·7H₂O" },
  { key: "calcium_chloride_mg_l", words: "Calcium chloride, CaCl₂·2H₂O" },
  { key: "magnesium_chloride_mg_l", words: "Magnesium chloride, MgCl₂·6H₂O" },
  { key: "sodium_bicarbonate_mg_l", words: "Sodium bicarbonate, NaHCO₃" },
  { key: "potassium_bicarbonate_mg_l", words: "Potassium bicarbonate, KHCO₃" },
] as const;
const NO_SALTS = Object.fromEntries(SALTS.map((one) => [one.key, 0]));

/** A water: what it brings to the cup and leaves in the boiler. */
export function WaterPage({ id }: { id: number | undefined }) {
  const waters = useQuery(watersQuery());
  const water = waters.data?.find((one) => one.id === id);
  const start = water ? documentOf(water) : NEW_WATER;
  const write = (document: Json) => {
    const body = document as unknown as Water;
    return answered(
      water === undefined
        ? client.POST("/api/waters", { body })
        : client.PUT("/api/waters/{water_id}", {
            params: { path: { water_id: water.id }, header: ifStill(water) },
            body,
          }),
    );
  };
  return (
    <div className={styles.shelfPage}>
      {water && <WaterPicture water={water} />}
      <ShelvedForm
        kind="water"
        thing={water}
        start={start}
        list={watersQuery().queryKey}
        write={write}
      >
        <Part name="The water" words={waterSentence}>
          <Text path="name" label="Name" />
          <MineralFields />
          <Text path="note" label="Note" lines={2} />
        </Part>
      </ShelvedForm>
    </div>
  );
}

/** Measured numbers, or the recipe they follow from. */
function MineralFields() {
  const salts = useFieldValue<Json | null>("salts");
  const setPart = useSetPart();
  const recipe = () => {
    setPart("salts", salts ? null : NO_SALTS);
    setPart("hardness_mg_l", null);
    setPart("alkalinity_mg_l", null);
  };
  return (
    <>
      {salts ? (
        SALTS.map((one) => (
          <Num key={one.key} path={`salts.${one.key}`} label={one.words} unit="mg/L" step={5} />
        ))
      ) : (
        <>
          <Num path="hardness_mg_l" label="Hardness, as CaCO₃" unit="mg/L" step={5} />
          <Num path="alkalinity_mg_l" label="Alkalinity, as CaCO₃" unit="mg/L" step={5} />
        </>
      )}
      <Button className="self-end" onClick={recipe}>
        {salts ? "Measured numbers instead" : "From a recipe of salts"}
      </Button>
    </>
  );
}

function documentOf(water: Water) {
  const { id: _id, etag: _etag, facts: _facts, ...rest } = water;
  return rest;
}

/** Hardness and alkalinity in a few words. */
export function mineralWords({ hardness_mg_l, alkalinity_mg_l }: Water["facts"]) {
  if (hardness_mg_l == null && alkalinity_mg_l == null) return "not measured";
  const written = (value: number | null | undefined) => (value == null ? "?" : value.toFixed(0));
  return `hardness ${written(hardness_mg_l)}, alkalinity ${written(alkalinity_mg_l)} mg/L`;
}

function waterSentence(said: Json) {
  const note = String(said.note ?? "");
  if (said.salts) {
    const used = SALTS.filter((one) => Number((said.salts as Json)[one.key]) > 0).map(
      (one) => `${(said.salts as Json)[one.key]} mg/L of ${one.words}`,
    );
    return `Distilled, with ${used.join("; ") || "nothing yet"}. ${note}`;
  }
  const written = (value: unknown) => (value == null ? "not measured" : `${value} mg/L`);
  return `Hardness ${written(said.hardness_mg_l)}, alkalinity ${written(said.alkalinity_mg_l)}. ${note}`;
}

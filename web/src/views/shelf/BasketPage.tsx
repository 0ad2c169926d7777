import { useQuery } from "@tanstack/react-query";
import { answered, type Basket, client } from "../../api/client";
import { basketsQuery } from "../../api/queries";
import { ifStill } from "../../bench/shelving";
import { type Json, Num, Part, Pick, Text } from "../../ui/DocumentForm";
import { styles } from "../../ui/styles";
import { amountNumber, grams, millilitres } from "../../ui/units";
import { BedPicture } from "./Pictures";
import { ShelvedForm } from "./ShelvedForm";
import { VariantUses } from "./VariantUses";

const NEW_BASKET = {
  name: "",
  diameter_mm: 58.5,
  shape: "straight",
  least_g: 16,
  most_g: 20,
  volume_ml: null,
  note: "",
};

/** A basket: what it does to the bed, and the doses it is made for. */
export function BasketPage({ id }: { id: number | undefined }) {
  const baskets = useQuery(basketsQuery());
  const basket = baskets.data?.find((one) => one.id === id);
  const start = basket ? documentOf(basket) : NEW_BASKET;
  const write = (document: Record<string, unknown>) => {
    const body = document as unknown as Basket;
    return answered(
      basket === undefined
        ? client.POST("/api/baskets", { body })
        : client.PUT("/api/baskets/{basket_id}", {
            params: { path: { basket_id: basket.id }, header: ifStill(basket) },
            body,
          }),
    );
  };
  return (
    <div className={styles.shelfPage}>
      {basket && <BedPicture basket={basket} />}
      <ShelvedForm
        kind="basket"
        thing={basket}
        start={start}
        list={basketsQuery().queryKey}
        write={write}
      >
        <Part name="The basket" words={basketSentence}>
          <Text path="name" label="Name" />
          <Num path="diameter_mm" label="Inner diameter" unit="mm" step={0.5} />
          <Pick
            path="shape"
            label="Shape"
            options={[
              { value: "straight", words: "straight" },
              { value: "tapered", words: "tapered" },
            ]}
          />
          <Num path="least_g" label="From" unit="g" step={0.5} />
          <Num path="most_g" label="To" unit="g" step={0.5} />
          <Num path="volume_ml" label="Volume to the brim" unit="mL" step={1} placeholder="46" />
          <Text path="note" label="Note" lines={2} />
        </Part>
      </ShelvedForm>
      {basket && <VariantUses of="basket" id={basket.id} />}
    </div>
  );
}

function basketSentence(said: Json) {
  const volume =
    said.volume_ml == null ? "" : ` It holds ${millilitres(Number(said.volume_ml))} to the brim.`;
  return `${said.diameter_mm} mm, ${said.shape}, made for ${amountNumber(Number(said.least_g), "g")} to ${grams(Number(said.most_g))}.${volume} ${String(said.note ?? "")}`;
}

function documentOf(basket: Basket) {
  const { id: _id, etag: _etag, ...rest } = basket;
  return rest;
}

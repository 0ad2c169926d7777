import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { answered, type Basket, client } from "../../api/client";
import { basketsQuery, benchQuery } from "../../api/queries";
import { OnTheBench } from "./OnTheBench";
import { Remove } from "./Remove";
import { DocumentForm, Num, Part, Pick, Text } from "./useDocument";

const NEW_BASKET = {
  name: "",
  diameter_mm: 58.5,
  shape: "straight",
  least_g: 16,
  most_g: 20,
  note: "",
};

/** A basket: what it does to the bed, and the doses it is made for. */
export function BasketPage({ id }: { id: number | undefined }) {
  const baskets = useQuery(basketsQuery());
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const basket = baskets.data?.find((one) => one.id === id);
  const start = basket ? documentOf(basket) : NEW_BASKET;
  const save = async (document: object) => {
    const body = document as Basket;
    const kept = await answered(
      id === undefined
        ? client.POST("/api/baskets", { body })
        : client.PUT("/api/baskets/{basket_id}", { params: { path: { basket_id: id } }, body }),
    );
    await queryClient.invalidateQueries({ queryKey: basketsQuery().queryKey });
    await queryClient.invalidateQueries({ queryKey: benchQuery().queryKey });
    if (id === undefined) navigate(`/shelf/baskets/${kept.id}`);
  };
  return (
    <div className="shelf-page">
      <DocumentForm
        label={basket?.name ?? "New basket"}
        start={start}
        save={save}
        fresh={!basket}
        words={basket ? "Save the basket" : "Put it on the shelf"}
        beside={
          basket && (
            <>
              <OnTheBench kind="basket" id={basket.id} />
              <Remove
                kind="basket"
                id={basket.id}
                name={basket.name}
                list={basketsQuery().queryKey}
              />
            </>
          )
        }
      >
        <Part name="The basket">
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
          <Text path="note" label="Note" lines={2} />
        </Part>
      </DocumentForm>
    </div>
  );
}

function documentOf(basket: Basket) {
  const { id: _id, ...rest } = basket;
  return rest;
}

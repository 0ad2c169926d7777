import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { answered, type Coffee, client } from "../../api/client";
import { coffeesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { NEW_COFFEE, ROASTS, writeCoffee } from "../../bench/shelving";
import { Button } from "../../ui/Button";
import { type Json, Num, Part, Pick, Text, Tick } from "../../ui/DocumentForm";
import { monthWords } from "../../ui/format";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { Panel } from "../../ui/Panel";
import { styles } from "../../ui/styles";
import { grams, readUnit } from "../../ui/units";
import { Calibrations } from "./Calibrations";
import { CoffeePicture } from "./CoffeePicture";
import { ShelvedForm } from "./ShelvedForm";
import { TargetPanel } from "./TargetPanel";
import { TaughtPanel } from "./TaughtPanel";

/** A coffee, the bag it is pulled from, and what its crema reads. */
export function CoffeePage({ id }: { id: number | undefined }) {
  const coffees = useQuery(coffeesQuery());
  const coffee = coffees.data?.find((one) => one.id === id);
  const start = coffee ? documentOf(coffee) : NEW_COFFEE;
  return (
    <div className={styles.shelfPage}>
      {coffee && <CoffeePicture coffee={coffee} />}
      {coffee && (
        <p className="mt-3">
          <Link className={styles.word} to={`/trail/${coffee.id}`}>
            The trail of its shots
          </Link>
        </p>
      )}
      <ShelvedForm
        kind="coffee"
        thing={coffee}
        start={start}
        list={coffeesQuery().queryKey}
        write={(document) => writeCoffee(document, coffee)}
      >
        <Part name="The coffee" words={coffeeSentence}>
          <Text path="name" label="Name" />
          <Pick path="roast" label="Roast" options={ROASTS} />
          <Num
            path="density_g_ml"
            label="Dry density"
            unit="g/mL"
            step={0.01}
            placeholder="model"
          />
          <span className="flex gap-4 leading-7">
            <Tick path="decaf" label="decaf" />
            <Tick path="blend" label="a blend" />
          </span>
          <Text path="note" label="Note" lines={2} />
        </Part>
        <Part name="What the roaster says" words={factsSentence}>
          <Text path="process" label="Process" placeholder="washed, honey, natural" />
          <Text path="variety" label="Variety" />
          <Text path="lot" label="Lot" />
          <Text path="dried" label="Dried" placeholder="raised beds, patio" />
          <Text path="crop" label="Harvested" type="month" />
          <Num path="altitude_m" label="Altitude" unit="m" step={50} placeholder="any" />
          <Num path="score" label="Score" unit="points" step={0.5} placeholder="none" />
        </Part>
        <Part name={coffee ? "The bag in use" : "Its first bag"} words={bagSentence}>
          <Text path="roasted_on" label="Roasted on" type="date" />
          <Num path="bag_g" label="Bag size" unit="g" step={10} placeholder="any" />
          <Num path="bag_price" label="Price of the bag" unit="" step={1} placeholder="any" />
          {coffee && <Left coffee={coffee} />}
        </Part>
      </ShelvedForm>
      {coffee && (
        <>
          <Bags coffee={coffee} />
          <TaughtPanel kind="coffee" id={coffee.id} />
          <TargetPanel key={`target-${coffee.id}`} coffeeId={coffee.id} />
          <Calibrations subject="coffee" id={coffee.id} />
        </>
      )}
    </div>
  );
}

function coffeeSentence(said: Json) {
  const kind = [said.roast, said.decaf && "decaf", said.blend ? "a blend" : ""];
  const density = said.density_g_ml == null ? "" : ` ${said.density_g_ml} g/mL dry.`;
  const first = kind.filter(Boolean).join(", ");
  return `${first.charAt(0).toUpperCase()}${first.slice(1)}.${density} ${String(said.note ?? "")}`;
}

function factsSentence(said: Json) {
  const facts = [
    said.process,
    said.variety,
    said.lot && `lot ${said.lot}`,
    said.dried && `dried: ${said.dried}`,
    said.crop && `harvested in ${monthWords(String(said.crop))}`,
    said.altitude_m != null && `grown at ${said.altitude_m} m`,
    said.score != null && `${said.score} points`,
  ].filter(Boolean);
  if (facts.length === 0)
    return "Nothing noted. It groups coffees in Trail; of it the model takes the process alone.";
  const words = facts.join(", ");
  return `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;
}

function bagSentence(said: Json) {
  const size =
    said.bag_g == null ? "A bag of unknown size" : `A bag of ${grams(Number(said.bag_g))}`;
  const price = said.bag_price == null ? "" : ` for ${said.bag_price}`;
  const roasted = said.roasted_on ? `roasted on ${said.roasted_on}` : "roast date unknown";
  return `${size}${price}, ${roasted}.`;
}

function documentOf(coffee: Coffee) {
  const {
    id: _id,
    etag: _etag,
    rest_days: _rest,
    freshness: _fresh,
    bags: _bags,
    ...rest
  } = coffee;
  return rest;
}

function Left({ coffee }: { coffee: Coffee }) {
  const bag = coffee.bags[0];
  return (
    <p className="self-end leading-7">
      {coffee.freshness ? `Today ${coffee.freshness.words}` : "Roast date unknown"}
      {bag && `, ${bag.shots} ${bag.shots === 1 ? "shot" : "shots"} from it`}
      {bag?.remaining_g != null && (
        <>
          , <b>{grams(bag.remaining_g, 0)} left</b>
        </>
      )}
      .
    </p>
  );
}

function Bags({ coffee }: { coffee: Coffee }) {
  const [roasted, setRoasted] = useState("");
  const [size, setSize] = useState<Typed>(coffee.bags[0]?.bag_g ?? null);
  const [price, setPrice] = useState<Typed>(coffee.bags[0]?.bag_price ?? null);
  const queryClient = useQueryClient();
  const open = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/coffees/{coffee_id}/bags", {
          params: { path: { coffee_id: coffee.id } },
          body: {
            roasted_on: roasted || null,
            bag_g: size as number | null,
            bag_price: price as number | null,
          },
        }),
      ),
    onSuccess: () => queryClient.invalidateQueries(),
  });
  return (
    <Panel name="Bags">
      <form
        className="flex flex-wrap items-start gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          open.mutate();
        }}
      >
        <span className="leading-7">Open a new one, roasted on</span>
        <input
          type="date"
          className={styles.textField}
          data-ui="field"
          aria-label="New bag roasted on"
          value={roasted}
          onChange={(event) => setRoasted(event.target.value)}
        />
        <span className="leading-7">of</span>
        <NumberField
          label="New bag size"
          value={size}
          onChange={setSize}
          step={10}
          unit="g"
          width={64}
        />
        <span className="leading-7">{readUnit("g")} for</span>
        <NumberField
          label="New bag price"
          value={price}
          onChange={setPrice}
          step={1}
          width={64}
          placeholder="any"
        />
        <Button type="submit" disabled={open.isPending}>
          Open bag
        </Button>
        {open.error && <FieldError>{failureWords(open.error) ?? ""}</FieldError>}
      </form>
      <ul className={styles.older}>
        {coffee.bags.slice(1).map((bag) => (
          <li key={bag.id}>
            <span className="text-quiet">
              {bag.roasted_on ? `roasted ${bag.roasted_on}` : "roast date unknown"}, {bag.shots}{" "}
              {bag.shots === 1 ? "shot" : "shots"}
              {bag.remaining_g != null && `, ${grams(bag.remaining_g, 0)} were left`}
            </span>
          </li>
        ))}
      </ul>
    </Panel>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { inMilkQuery } from "../api/queries";
import { failureWords } from "../api/refusals";
import { NumberField, type Typed } from "../ui/NumberField";
import { readUnit } from "../ui/units";

const USUAL_G = 120;

/** How strong a drink is in so much milk; `from` says where its strength is from. */
export function InMilk(props: { tds_pct: number | null; yield_g: number | null; from: string }) {
  const { tds_pct, yield_g, from } = props;
  const [milk, setMilk] = useState<Typed>(USUAL_G);
  const known = tds_pct !== null && yield_g !== null;
  const found = useQuery({
    ...inMilkQuery(tds_pct ?? 0, yield_g ?? 0, milk as number),
    enabled: known && milk !== null && milk !== "",
  });
  return (
    <section className="pt-3" aria-label="In milk">
      <span className="flex flex-wrap items-start gap-2">
        <span className="leading-7">In</span>
        <NumberField
          label="Milk"
          value={milk}
          step={10}
          unit="g"
          onChange={setMilk}
          error={failureWords(found.error)}
        />
        <span className="leading-7">
          {readUnit("g")} of milk:{" "}
          {!known ? (
            <span className="text-quiet">unknown</span>
          ) : found.data && !found.isError ? (
            <>
              <b className="tabular-nums">{found.data.tds_pct.toFixed(1)} %</b>{" "}
              <span className="text-quiet">
                coffee, 1 : {found.data.milk_per_drink.toFixed(1)}, {from}
              </span>
            </>
          ) : null}
        </span>
      </span>
    </section>
  );
}

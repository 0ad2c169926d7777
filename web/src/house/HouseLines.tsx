import { useQuery } from "@tanstack/react-query";
import { houseLinesQuery, useChooseHouseLines } from "../api/house";
import { formQuery } from "../api/queries";
import { failureWords } from "../api/refusals";
import { FieldError } from "../ui/NumberField";
import { Tick, toggled } from "../ui/Tick";

/** Which lines of the form the house scores. */
export function HouseLines() {
  const form = useQuery(formQuery());
  const house = useQuery(houseLinesQuery());
  const choose = useChooseHouseLines();
  const lines = house.data?.lines ?? [];
  return (
    <div className="grid gap-1">
      <p className="text-quiet">
        The lines of the form that you score here. Scores on other lines are kept.
      </p>
      <div className="grid max-w-md grid-cols-2">
        {form.data?.attributes.map((one) => {
          const on = lines.includes(one.field as never);
          return (
            <Tick
              key={one.field}
              on={on}
              disabled={on && lines.length === 1}
              words={one.name}
              change={(next) => choose.mutate(toggled(lines, one.field as never, next))}
            />
          );
        })}
      </div>
      {choose.error && <FieldError>{failureWords(choose.error) ?? ""}</FieldError>}
    </div>
  );
}

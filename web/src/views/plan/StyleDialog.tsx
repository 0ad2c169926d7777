import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { FittedStyle, Style } from "../../api/client";
import { benchQuery, fittedQuery, stylesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useSetup } from "../../api/useSetup";
import { PUMP_ON } from "../../charts/frame";
import { bareForecast } from "../../profile/bareForecast";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { loosened } from "../../profile/loose";
import { useFreeName, useStartProfile } from "../../profile/useStartProfile";
import { Button } from "../../ui/Button";
import { plain } from "../../ui/format";
import { Modal } from "../../ui/Modal";
import { FieldError } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";

/** Start from a style: what each is for, and what it comes to for what stands on the bench. */
export function StyleDialog({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Modal open={open} close={close} wide title="Start from a style">
      <Styles close={close} />
    </Modal>
  );
}

function Styles({ close }: { close: () => void }) {
  const setup = useSetup();
  const styles = useQuery({ ...stylesQuery(setup), enabled: Boolean(setup) });
  const [chosen, setKey] = useState<string>();
  const key = chosen ?? styles.data?.[0]?.key;
  const style = styles.data?.find((one) => one.key === key);
  if (styles.error) return <FieldError>{failureWords(styles.error) ?? ""}</FieldError>;
  return (
    <div className="grid grid-cols-[210px_minmax(0,_1fr)] gap-5 max-phone:grid-cols-[minmax(0,_1fr)]">
      <ul
        className="[&_button]:w-full [&_button]:py-1.25 [&_button]:px-2 [&_button]:border-l-3 [&_button]:border-l-transparent [&_button]:text-left [&_button:hover]:bg-tint [&_button[aria-pressed=true]]:border-l-action [&_button[aria-pressed=true]]:bg-tint [&_button[aria-pressed=true]]:font-semibold max-phone:flex max-phone:overflow-x-auto max-phone:whitespace-nowrap"
        aria-label="Styles"
      >
        {styles.data?.map((one) => (
          <li key={one.key}>
            <button type="button" aria-pressed={one.key === key} onClick={() => setKey(one.key)}>
              {one.name}
              <span className="block text-small font-normal text-quiet max-phone:hidden">
                {one.reason}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {style && <Detail key={key} style={style} close={close} />}
    </div>
  );
}

function Detail({ style, close }: { style: Style; close: () => void }) {
  const setup = useSetup();
  const bench = useQuery(benchQuery());
  const [regrind, setRegrind] = useState(true);
  const fitted = useQuery({
    ...fittedQuery(setup, style.key, regrind),
    enabled: Boolean(setup),
  });
  const grinder = bench.data?.grinder;
  return (
    <div>
      <p>
        <b>{style.purpose}</b> {style.expect}
      </p>
      <p className="mt-1 text-quiet">
        For {style.roasts} roasts; {style.drink}. Here: {style.reason}.
      </p>
      <p className="mt-1 text-quiet">
        <b className="text-ink">Against.</b> {style.against}
      </p>
      <div className={styles.styleChart}>
        {fitted.data ? (
          <ForecastChart
            extent={forecastExtent(fitted.data.prediction)}
            axis={PUMP_ON}
            answered={{
              forecast: bareForecast(fitted.data.prediction),
              profile: loosened(fitted.data.profile),
            }}
          />
        ) : (
          <p className="p-4 text-quiet">
            {fitted.error ? failureWords(fitted.error) : "Fitting it to the bench"}
          </p>
        )}
      </div>
      {fitted.data && (
        <p className="mt-2 text-quiet" role="status">
          <b className="text-ink">Fitted:</b> {fitted.data.words.join("; ")}.
        </p>
      )}
      {style.schools.map((school) => (
        <p key={school.question} className="mt-1 text-quiet">
          <b className="text-ink">{school.question}</b>, practitioners disagree:{" "}
          {school.positions.join("; or ")}.
        </p>
      ))}
      {grinder && (
        <label className="mt-2 flex items-center gap-2">
          <input
            type="checkbox"
            checked={regrind}
            onChange={(event) => setRegrind(event.target.checked)}
          />
          Adjust the grind too
          {fitted.data?.change.grind_setting != null && (
            <span className="text-quiet">
              {plain(fitted.data.change.grind_setting)} on {grinder.name}, now{" "}
              {bench.data?.grind_setting == null ? "not set" : plain(bench.data.grind_setting)}
            </span>
          )}
        </label>
      )}
      {fitted.data && <Begin fitted={fitted.data} style={style} regrind={regrind} close={close} />}
    </div>
  );
}

function Begin(props: { fitted: FittedStyle; style: Style; regrind: boolean; close: () => void }) {
  const { fitted, style, regrind, close } = props;
  const [typed, setName] = useState<string>();
  const free = useFreeName(style.name);
  const name = typed ?? free;
  const start = useStartProfile(close);
  const { yield_g, grind_setting } = fitted.change;
  const bench = {
    ...(yield_g == null ? {} : { yield_g }),
    ...(regrind && grind_setting != null ? { grind_setting } : {}),
  };
  return (
    <form
      className={styles.styleBegin}
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate({ name, profile: fitted.profile, style: fitted.key, bench });
      }}
    >
      <input
        className={cn(styles.textField, "min-w-0 flex-1")}
        data-ui="field"
        aria-label="Name of the new profile"
        value={name}
        onChange={(event) => setName(event.target.value)}
      />
      <Button type="submit" kind="main" className="px-4!" disabled={start.isPending}>
        Start from this
      </Button>
      <Button onClick={close}>Cancel</Button>
      {start.error && <FieldError>{failureWords(start.error) ?? ""}</FieldError>}
    </form>
  );
}

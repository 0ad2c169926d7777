import { useQuery } from "@tanstack/react-query";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import type { Taught, TogetherLine } from "../../api/client";
import {
  benchQuery,
  nextShotQuery,
  type Three,
  taughtQuery,
  togetherQuery,
} from "../../api/queries";
import { Choice } from "../../ui/Choice";
import { Loading, PageError } from "../../ui/Messages";
import { Panel } from "../../ui/Panel";
import { cn, styles } from "../../ui/styles";
import { CountedShots } from "./CountedShots";
import { HeldOut } from "./HeldOut";
import { InUse } from "./InUse";
import { Moved } from "./Moved";
import { PastForecasts } from "./PastForecasts";
import { Variants } from "./Variants";

/** What the shots of a coffee by a grinder on a machine taught, and whether it may be relied on. */
export function LearntView() {
  const { coffeeId, grinderId, machineId } = useParams();
  if (!coffeeId || !grinderId || !machineId) return <OfTheBench />;
  const three = {
    coffee_id: Number(coffeeId),
    grinder_id: Number(grinderId),
    machine_id: Number(machineId),
  };
  return <OfThree key={Object.values(three).join(" ")} three={three} />;
}

/** Without numbers in the address: what stands on the bench. */
function OfTheBench() {
  const bench = useQuery(benchQuery());
  if (bench.isError) return <PageError error={bench.error} retry={() => bench.refetch()} />;
  if (!bench.data) return <Loading what="the bench" />;
  const { coffee, grinder, machine } = bench.data;
  if (!coffee || !grinder)
    return (
      <Page>
        <p className="mt-3">
          Nothing can be learnt without a coffee and a grinder: choose them in the line above.
        </p>
      </Page>
    );
  return <Navigate to={addressOf({ ...ids(coffee, grinder, machine) })} replace />;
}

const ids = (coffee: { id: number }, grinder: { id: number }, machine: { id: number }) => ({
  coffee_id: coffee.id,
  grinder_id: grinder.id,
  machine_id: machine.id,
});

/** Where the page of three stands. */
export function addressOf(three: Three) {
  return `/shelf/learnt/${three.coffee_id}/${three.grinder_id}/${three.machine_id}`;
}

function Page({ children }: { children: React.ReactNode }) {
  return (
    <main className="flex flex-1 flex-col min-h-0 pt-2.5 px-5 max-phone:px-2.5 max-phone:pt-2">
      <h1>What the shots taught</h1>
      {children}
    </main>
  );
}

function OfThree({ three }: { three: Three }) {
  const taught = useQuery(taughtQuery(three));
  if (taught.isError && !taught.data)
    return (
      <Page>
        <p className="mt-3">{taught.error.message}</p>
        <p className="mt-2">
          After its first pull this page says what it taught.{" "}
          <Link className="text-action underline" to="/plan">
            To Plan
          </Link>
        </p>
      </Page>
    );
  if (!taught.data) return <Loading what="what the shots taught" />;
  const { data } = taught;
  return (
    <main className="flex flex-1 flex-col min-h-0 pt-2.5 px-5 max-phone:px-2.5 max-phone:pt-2">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <h1>What the shots taught</h1>
        <WhichThree taught={data} />
      </div>
      <div className={cn(styles.plan, "gap-x-4 pt-2.5 max-phone:[&>*]:mb-2.5")}>
        <div className="flex flex-col gap-3 min-w-0 min-h-0 overflow-y-auto pb-4 max-narrow:overflow-visible">
          <PastForecasts record={data.forecasts} drift={data.drift} />
          <HeldOut taught={data} />
          <Variants taught={data} of="preparations" />
          <Variants taught={data} of="baskets" />
          <Moved unknowns={data.unknowns} />
        </div>
        <aside
          aria-label="In use"
          className="flex flex-col gap-3 min-h-0 overflow-y-auto pb-4 max-narrow:overflow-visible"
        >
          <InUse three={three} taught={data} />
          <NextShot three={three} />
          <CountedShots shots={data.shots} />
        </aside>
      </div>
    </main>
  );
}

/** The three, and what else the coffee was pulled with. */
function WhichThree({ taught }: { taught: Taught }) {
  const navigate = useNavigate();
  const { of } = taught;
  const others = useQuery(togetherQuery("coffee", of.coffee_id));
  const lines = others.data ?? [of];
  const words = (one: TogetherLine) => `${one.coffee} by ${one.grinder} on ${one.machine}`;
  if (lines.length < 2) return <p className="text-lead">{words(of)}</p>;
  return (
    <Choice
      label="Learnt of"
      value={addressOf(of)}
      options={lines.map((one) => ({ value: addressOf(one), words: words(one) }))}
      onChange={(address) => navigate(address)}
    />
  );
}

/** The shot that would narrow forecasts most. */
function NextShot({ three }: { three: Three }) {
  const next = useQuery(nextShotQuery(three));
  if (!next.data) return null;
  const { words, now_time_pct, then_time_pct, now_points, then_points } = next.data;
  return (
    <Panel name="Most would be learnt from">
      <p className="font-medium" data-part="next-shot">
        {words.charAt(0).toUpperCase() + words.slice(1)}
      </p>
      <p className="text-quiet">
        Forecasts of other profiles and grinds would then be sure to ±{then_time_pct.toFixed(1)} %
        of the time instead of {now_time_pct.toFixed(1)}, and ±{then_points.toFixed(1)} points of
        extraction instead of {now_points.toFixed(1)}.
      </p>
    </Panel>
  );
}

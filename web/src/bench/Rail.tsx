import { useQuery } from "@tanstack/react-query";
import { Link, useLocation } from "react-router";
import type { Bench } from "../api/client";
import { beginningQuery, benchQuery } from "../api/queries";
import { Choice } from "../ui/Choice";
import { BESIDE, LOOP, switchBench } from "./goTo";

const STEP = 38;

/** The loop of the work, with where we are in it. */
export function Rail() {
  const { pathname } = useLocation();
  const bench = useQuery(benchQuery());
  const at = pathname.startsWith("/begin")
    ? 0
    : LOOP.findIndex((view) => pathname.startsWith(view.path));
  const last = 19 + STEP * (LOOP.length - 1);
  return (
    <nav
      className="relative flex flex-col pt-3.5 border-r border-r-rule [&_a]:flex [&_a]:items-center [&_a]:h-9.5 [&_a]:pl-10 [&_a]:text-[14.5px] [&_a[aria-current]]:font-semibold [&_a[aria-current]]:text-action max-phone:row-start-3 max-phone:flex-row max-phone:justify-around max-phone:p-0 max-phone:border-r-0 max-phone:border-t max-phone:border-t-rule max-phone:[&_a]:h-12 print:hidden max-phone:[&_a]:py-0 max-phone:[&_a]:px-2.5"
      aria-label="Views"
    >
      <svg
        className="[&_path]:[fill:none] [&_path]:[stroke:var(--edge)] [&_path]:[stroke-width:1.25] [&_circle]:[fill:var(--paper)] [&_circle]:[stroke:var(--edge)] [&_circle]:[stroke-width:1.25] absolute left-3.5 top-3.5 max-phone:hidden"
        width="22"
        height={last + 19}
        aria-hidden="true"
      >
        <path
          d={`M15 19V${last}M15 ${last}C15 ${last + 13} 3 ${last + 13} 3 ${last + 1}V18C3 6 15 6 15 19`}
        />
        {LOOP.map((view, i) => (
          <circle
            key={view.path}
            cx="15"
            cy={19 + STEP * i}
            r={i === at ? 5 : 4}
            className={i === at ? "fill-action! stroke-action!" : ""}
          />
        ))}
      </svg>
      {LOOP.map((view, i) => (
        <Link key={view.path} to={view.path} aria-current={i === at ? "page" : undefined}>
          {view.words}
        </Link>
      ))}
      {BESIDE.map((view, i) => (
        <Link
          key={view.path}
          to={view.path}
          aria-current={pathname.startsWith(view.path) ? "page" : undefined}
          className={i === 0 ? "mt-3.5 max-phone:m-0" : ""}
        >
          {view.words}
        </Link>
      ))}
      <div className="mt-auto mb-4 mx-2 text-[12.5px] leading-4.25 text-balance text-quiet max-phone:hidden">
        {bench.data && <BenchChoice bench={bench.data} />}
      </div>
    </nav>
  );
}

/** The bench in use in this browser, where there are several. */
function BenchChoice({ bench }: { bench: Bench }) {
  const { benches = [] } = useQuery(beginningQuery()).data ?? {};
  if (benches.length < 2) return <p className="mx-2">{bench.name}</p>;
  return (
    <Choice
      label="Bench"
      className="w-24"
      value={bench.id}
      options={benches.map((one) => ({ value: one.id, words: one.name }))}
      onChange={switchBench}
    />
  );
}

import { useQuery } from "@tanstack/react-query";
import { Link, useLocation } from "react-router";
import { benchQuery } from "../api/queries";
import { BESIDE, LOOP } from "./goTo";

const STEP = 38;

/** The loop of the work, with where we are in it. */
export function Rail() {
  const { pathname } = useLocation();
  const bench = useQuery(benchQuery());
  const at = LOOP.findIndex((view) => pathname.startsWith(view.path));
  const last = 19 + STEP * (LOOP.length - 1);
  return (
    <nav className="rail" aria-label="Views">
      <svg className="loop" width="22" height={last + 19} aria-hidden="true">
        <path
          d={`M15 19V${last}M15 ${last}C15 ${last + 13} 3 ${last + 13} 3 ${last + 1}V18C3 6 15 6 15 19`}
        />
        {LOOP.map((view, i) => (
          <circle
            key={view.path}
            cx="15"
            cy={19 + STEP * i}
            r={i === at ? 5 : 4}
            className={i === at ? "on" : ""}
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
          className={i === 0 ? "beside" : ""}
        >
          {view.words}
        </Link>
      ))}
      <p className="foot">{bench.data?.name}</p>
    </nav>
  );
}

import { useNavigate } from "react-router";
import type { Action } from "./actions";

/** The views there are, in the order of the work. */
export const VIEWS = [
  { path: "/plan", words: "Plan", key: "1" },
  { path: "/pull", words: "Pull", key: "2" },
  { path: "/taste", words: "Taste", key: "3" },
] as const;

/** Going to each view, as actions. */
export function useGoActions(): Action[] {
  const navigate = useNavigate();
  return VIEWS.map(({ path, words, key }) => ({
    id: `go-${path}`,
    words,
    key,
    group: "Go to",
    run: () => navigate(path),
  }));
}

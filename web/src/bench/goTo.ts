import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { chooseBench } from "../api/benchChoice";
import { beginningQuery, benchQuery } from "../api/queries";
import type { Action } from "./actions";

/** The views of the loop, in the order of the work; then those beside it. */
export const LOOP = [
  { path: "/plan", words: "Plan", key: "1" },
  { path: "/pull", words: "Pull", key: "2" },
  { path: "/read", words: "Read", key: "3" },
  { path: "/taste", words: "Taste", key: "4" },
  { path: "/next", words: "Next", key: "5" },
] as const;
export const BESIDE = [
  { path: "/trail", words: "Trail", key: "6" },
  { path: "/shelf", words: "Shelf", key: "8" },
] as const;

/** Switch to another bench: every view is loaded again. */
export function switchBench(id: number) {
  chooseBench(id);
  window.location.assign("/plan");
}

/** Going to each view, and to each other bench, as actions. */
export function useGoActions(): Action[] {
  const navigate = useNavigate();
  const here = useQuery(benchQuery()).data?.id;
  const { benches = [] } = useQuery(beginningQuery()).data ?? {};
  const views: Action[] = [...LOOP, ...BESIDE].map(({ path, words, key }) => ({
    id: `go-${path}`,
    words,
    key,
    group: "Go to",
    run: () => navigate(path),
  }));
  const tidy = { id: "go-tidy", words: "Tidy a recording into a profile", group: "Go to" } as const;
  const bring = { id: "go-bring-in", words: "Bring a recording in", group: "Go to" } as const;
  const together = { id: "go-together", words: "Taste together, blind", group: "Go to" } as const;
  const several = { id: "go-several", words: "Compare several shots", group: "Go to" } as const;
  const learnt = { id: "go-learnt", words: "What the shots taught", group: "Go to" } as const;
  const begin = { id: "go-begin", words: "Set up a bench", group: "Go to" } as const;
  const week = { id: "go-week", words: "A first week, step by step", group: "Go to" } as const;
  const others: Action[] = benches
    .filter((one) => one.id !== here)
    .map(({ id, name }) => ({
      id: `bench-${id}`,
      words: `Switch to ${name}`,
      group: "Go to",
      run: () => switchBench(id),
    }));
  return [
    ...views,
    ...others,
    { ...begin, run: () => navigate("/begin") },
    { ...week, run: () => navigate("/first-week") },
    { ...learnt, run: () => navigate("/shelf/learnt") },
    { ...tidy, run: () => navigate("/tidy") },
    { ...bring, run: () => navigate("/read/bring-in") },
    { ...together, run: () => navigate("/taste/together") },
    { ...several, run: () => navigate("/taste/several") },
  ];
}

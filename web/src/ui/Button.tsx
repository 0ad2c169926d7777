import type { ComponentProps } from "react";
import { Link } from "react-router";
import { cn } from "./styles";

type Kind = "plain" | "main" | "stop";

const SHARED =
  "inline-flex items-center justify-center gap-1.5 rounded-sm px-2.5 py-1 whitespace-nowrap";
const KINDS: Record<Kind, string> = {
  plain:
    "min-h-7 border border-edge enabled:hover:bg-tint disabled:border-rule disabled:text-quiet [a&]:hover:bg-tint",
  main: "min-h-10 border border-transparent bg-action text-lead font-semibold text-on-action enabled:hover:bg-[color-mix(in_srgb,var(--action)_88%,var(--ink))] disabled:bg-tint disabled:text-quiet [&_kbd]:border-current [&_kbd]:text-inherit [a&]:hover:bg-[color-mix(in_srgb,var(--action)_88%,var(--ink))]",
  stop: "min-h-10 border-2 border-stop text-lead font-semibold text-stop enabled:hover:bg-tint disabled:border-rule disabled:text-quiet",
};

/** How a button looks, for what must be another element. */
export function buttonStyle(kind: Kind = "plain", more?: string) {
  return cn(SHARED, KINDS[kind], more);
}

/** A button; the main one is the next step of the view, of which there is one. */
export function Button({
  kind = "plain",
  className,
  type = "button",
  ...rest
}: ComponentProps<"button"> & { kind?: Kind }) {
  return <button type={type} data-ui="button" className={buttonStyle(kind, className)} {...rest} />;
}

/** A link that looks like a button. */
export function ButtonLink({
  kind = "plain",
  className,
  ...rest
}: ComponentProps<typeof Link> & { kind?: Kind }) {
  return <Link data-ui="button" className={buttonStyle(kind, className)} {...rest} />;
}

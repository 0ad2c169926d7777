import { extendTailwindMerge } from "tailwind-merge";

/** Class names joined; of two that set the same thing the later one counts. */
export const cn = extendTailwindMerge({
  extend: {
    classGroups: { "font-size": [{ text: ["tick", "small", "body", "lead", "figure", "title"] }] },
  },
});

/** What several views share of the look, as utilities. */
export const styles = {
  /** The next step at the end of a column: always in view, with nothing to be read under it. */
  columnFoot: "sticky -bottom-3 z-1 mt-auto -mb-3 grid shrink-0 gap-2 bg-paper pt-2 pb-3",
  doneTable:
    "w-full self-start [&_thead]:text-quiet [&_thead_th]:font-normal [&_th]:text-left [&_tbody_th]:font-medium [&_th]:py-0.5 [&_th]:pr-2.5 [&_th]:pl-0 [&_th]:border-b [&_th]:border-b-rule [&_th]:align-top [&_th]:tabular-nums [&_td]:py-0.5 [&_td]:pr-2.5 [&_td]:pl-0 [&_td]:border-b [&_td]:border-b-rule [&_td]:align-top [&_td]:tabular-nums",
  editor: "grid gap-2 pt-2.5 pb-3 px-4 border-t-2 border-t-action bg-tint",
  field:
    "h-7 py-0 px-2 bg-sheet border border-edge rounded-[3px] font-medium text-[14px] leading-6.5 font-mono text-right aria-invalid:border-stop aria-invalid:shadow-[inset_0_0_0_1px_var(--stop)]",
  fieldNote: "block max-w-60 text-warn text-small leading-4",
  fig: "font-medium text-figure leading-5.5 font-mono tracking-[-0.03em]",
  forecastColumn:
    "flex flex-col min-h-0 gap-0 pt-3.5 pb-3 pr-4 pl-4.5 border-l border-l-rule overflow-y-auto max-narrow:border-l-0 max-narrow:border-t max-narrow:border-t-rule max-narrow:overflow-visible max-phone:py-3.5 max-phone:px-3",
  groupOf: "contents",
  older: "grid gap-1 [&_li]:flex [&_li]:items-baseline [&_li]:justify-between [&_li]:gap-3",
  panel:
    "bg-sheet border border-rule rounded-sm shadow-[0_8px_24px_color-mix(in_srgb,_var(--ink)_14%,_transparent)]",
  part: "grid gap-2.5 bg-sheet border border-rule rounded-sm py-3 px-4",
  plan: "grid flex-1 grid-cols-[minmax(0,_1fr)_314px] min-h-0 max-narrow:block",
  planHead: "py-2.5 px-0",
  planMain:
    "flex flex-col min-w-0 min-h-0 pt-0 pb-3 pr-4 pl-5 overflow-y-auto max-narrow:overflow-visible max-phone:pt-0 max-phone:pb-2 max-phone:px-2",
  reading:
    "font-medium text-[28px] leading-8 font-mono tracking-[-0.03em] [&_small]:font-normal [&_small]:text-small [&_small]:leading-[normal] [&_small]:font-sans [&_small]:tracking-[0]",
  rows: "[&_th]:py-0.5 [&_th]:pr-3 [&_th]:pl-0 [&_th]:font-normal [&_th]:text-left [&_th]:align-top [&_td]:py-0.5 [&_td]:pr-3 [&_td]:pl-0 [&_td]:font-normal [&_td]:text-left [&_td]:align-top [&_th]:leading-7 [&_td]:leading-7 [&_th]:text-quiet [&_th]:whitespace-nowrap",
  segments:
    "flex border border-edge rounded-sm overflow-hidden [&_button]:py-1 [&_button]:px-3 [&_button:focus-visible]:outline-offset-[-3px] [&_button[data-selected]]:bg-tint [&_button[data-selected]]:text-action [&_button[data-selected]]:font-semibold [&_button[data-selected]]:shadow-[inset_0_-2px_var(--action)]",
  sheet: "flex flex-auto flex-col min-h-0 bg-sheet border border-rule rounded-sm overflow-hidden",
  shelfPage:
    "[&>section]:mt-3 [&>form]:mt-3 min-w-0 min-h-0 pt-0.5 pb-4 px-1 overflow-y-auto max-phone:pt-2.5 max-phone:pb-4 max-phone:px-0 max-phone:overflow-visible",
  shotChart:
    "[contain:layout_style_paint] flex-[1_1_396px] min-h-75 max-phone:flex-none max-phone:h-[420px]",
  standing:
    "grid grid-cols-[150px_minmax(0,_1fr)_auto] items-center gap-y-1 gap-x-3 max-phone:grid-cols-[minmax(0,_1fr)]",
  styleBegin: "[&_[data-ui=field]]:h-10 flex flex-wrap gap-2 items-center mt-3",
  styleChart:
    "[&_[data-ui=shot-chart]]:min-h-0 [&_[data-ui=shot-chart]]:h-auto [&_[data-ui=shot-chart]]:flex-1 flex flex-col h-85 mt-2.5 border border-rule rounded-sm",
  withError: "inline-flex flex-col",
  word: "py-0.75 px-0 font-medium [text-decoration:underline_1.5px_var(--action)] underline-offset-[4px] hover:[text-decoration-thickness:2.5px]",
  row: "flex flex-wrap items-start gap-y-1.5 gap-x-1.75 [&_[data-ui=field-frame]]:contents [&_[data-part=field-error]]:order-1 [&_[data-part=field-error]]:m-0 [&_[data-part=field-error]]:max-w-none [&_[data-part=field-error]]:basis-full",
  textField: cn(
    "h-7 py-0 px-2 bg-sheet border border-edge rounded-[3px] font-medium text-[14px] leading-6.5 font-mono text-right aria-invalid:border-stop aria-invalid:shadow-[inset_0_0_0_1px_var(--stop)]",
    "font-normal text-body leading-6.5 font-sans text-left",
  ),
} as const;

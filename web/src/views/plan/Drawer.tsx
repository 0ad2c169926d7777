import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react";
import { memo } from "react";
import type { ForecastNow } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { Key } from "../../ui/Key";
import { DRAWERS, useDrawer } from "./drawers";
import { GoalPanel } from "./GoalPanel";
import { PhaseEditor } from "./PhaseEditor";
import { SimplePanel } from "./SimplePanel";
import { StopEditor } from "./StopEditor";
import { SuggestPanel } from "./SuggestPanel";
import { WhatIfPanel } from "./WhatIfPanel";

interface Props {
  planned: Planned;
  now: ForecastNow;
  selected: number;
  select: (index: number) => void;
}

/** Under the phases: the open phase as a sentence, or one of the ways to shape the whole. */
export const Drawer = memo(function Drawer(props: Props) {
  const { planned } = props;
  const { shown, show } = useDrawer();
  const index = Math.max(
    0,
    DRAWERS.findIndex((one) => one.value === shown),
  );
  return (
    <TabGroup
      className="[&_[data-ui=editor]]:border-t-0 [&_[data-ui=editor]]:min-h-23"
      data-part="drawer"
      selectedIndex={index}
      onChange={(to) => show(DRAWERS[to]?.value ?? "edit")}
    >
      <Tabs shown={shown} />
      <TabPanels>
        <TabPanel tabIndex={-1}>
          <Editor {...props} />
        </TabPanel>
        <TabPanel tabIndex={-1}>
          <SimplePanel planned={planned} />
        </TabPanel>
        <TabPanel tabIndex={-1}>
          <WhatIfPanel now={props.now} />
        </TabPanel>
        <TabPanel tabIndex={-1}>
          <SuggestPanel planned={planned} selected={props.selected} />
        </TabPanel>
        <TabPanel tabIndex={-1}>
          <GoalPanel planned={planned} />
        </TabPanel>
      </TabPanels>
    </TabGroup>
  );
});

function Editor({ planned, now, selected, select }: Props) {
  const { problems } = now;
  if (selected >= planned.profile.phases.length)
    return <StopEditor planned={planned} select={select} problems={problems} />;
  const notices = now.stale ? [] : (now.answered?.forecast.notices ?? []);
  const prediction = now.answered?.forecast.prediction;
  return (
    <PhaseEditor key={selected} {...{ planned, problems, notices, prediction }} index={selected} />
  );
}

const Tabs = memo(function Tabs({ shown }: { shown: string }) {
  return (
    <TabList
      className="flex gap-0.5 py-0 px-4 border-t-2 border-t-action bg-tint overflow-x-auto [&_button]:pt-1.5 [&_button]:pb-1.25 [&_button]:px-2.5 [&_button]:border-b-2 [&_button]:border-b-transparent [&_button]:whitespace-nowrap [&_button[data-selected]]:border-b-action [&_button[data-selected]]:text-action [&_button[data-selected]]:font-semibold [&_button:focus-visible]:outline-offset-[-3px]"
      aria-label="Tools"
    >
      {DRAWERS.map(({ value, words }) => (
        <Tab key={value}>{words}</Tab>
      ))}
      <span className="ml-auto hidden self-center text-[13px] text-quiet sm:block">
        {shown === "edit" && (
          <>
            <Key>Up</Key> <Key>Down</Key> by a step, <Key>Shift</Key> coarser, <Key>Alt</Key> finer
          </>
        )}
        {shown === "what-if" && "pressure and the cup's flow, over the shot as it is in grey"}
      </span>
    </TabList>
  );
});

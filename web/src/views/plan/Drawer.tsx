import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react";
import { memo } from "react";
import type { ForecastNow } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
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
      className="drawer"
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
  return <PhaseEditor key={selected} {...{ planned, problems, notices }} index={selected} />;
}

const Tabs = memo(function Tabs({ shown }: { shown: string }) {
  return (
    <TabList className="drawer-tabs" aria-label="Tools">
      {DRAWERS.map(({ value, words }) => (
        <Tab key={value}>{words}</Tab>
      ))}
      <span className="ml-auto hidden self-center text-[13px] text-quiet sm:block">
        {shown === "edit" && (
          <>
            <kbd className="key">Up</kbd> <kbd className="key">Down</kbd> by a step,{" "}
            <kbd className="key">Shift</kbd> coarser, <kbd className="key">Alt</kbd> finer
          </>
        )}
        {shown === "what-if" && "pressure and the cup's flow, over the shot as it is in grey"}
      </span>
    </TabList>
  );
});

import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react";
import type { ReactNode } from "react";

export interface View {
  key: string;
  words: string;
  show: () => ReactNode;
}

/** Views of one thing, of which one is in sight; arrows move between them. `beside` stands in line with the tabs. */
export function Tabs(props: {
  label: string;
  views: View[];
  at: string;
  choose: (key: string) => void;
  beside?: ReactNode;
}) {
  const { label, views, at, choose, beside } = props;
  const index = Math.max(
    0,
    views.findIndex((view) => view.key === at),
  );
  return (
    <TabGroup
      className="flex min-h-0 flex-1 flex-col"
      selectedIndex={index}
      onChange={(next) => choose(views[next]?.key ?? at)}
    >
      <div className="mb-2 flex items-center gap-4">
        <TabList aria-label={label} className="flex gap-1">
          {views.map((view) => (
            <Tab
              key={view.key}
              className="btn btn-sm border-none outline-none data-focus:outline-2 data-focus:outline-offset-2 data-focus:outline-primary not-data-selected:btn-ghost not-data-selected:font-normal data-selected:bg-base-300"
            >
              {view.words}
            </Tab>
          ))}
        </TabList>
        {beside}
      </div>
      <TabPanels className="flex min-h-0 flex-1 flex-col">
        {views.map((view) => (
          <TabPanel key={view.key} tabIndex={-1} className="flex min-h-0 flex-1 flex-col">
            {view.show()}
          </TabPanel>
        ))}
      </TabPanels>
    </TabGroup>
  );
}

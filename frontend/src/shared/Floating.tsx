import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { ReactNode } from "react";

/** Something that opens under its button and closes by Escape, by a click elsewhere, or by what is done in it. */
export function Floating(props: {
  button: ReactNode;
  title: string;
  label: string;
  className: string;
  panel: string;
  anchor?: "left" | "right";
  testid?: string;
  children: (close: () => void) => ReactNode;
}) {
  const { button, title, label, className, panel, anchor = "left", testid, children } = props;
  return (
    <Popover className="relative min-w-0">
      <PopoverButton className={className} title={title} data-testid={testid}>
        {button}
      </PopoverButton>
      <PopoverPanel
        role="dialog"
        aria-label={label}
        className={`absolute top-full z-40 rounded-box border border-line bg-base-100 shadow-lg ${anchor === "left" ? "left-0" : "right-0"} ${panel}`}
      >
        {({ close }) => <>{children(close)}</>}
      </PopoverPanel>
    </Popover>
  );
}

import { Check, Copy } from "lucide-react";
import { useState } from "react";

const TOLD = 2000; // milliseconds

/** A small button that copies, and says for a while that it has; `copy` says whether it could. */
export function CopyButton(props: {
  label: string;
  copy: () => Promise<boolean>;
  title?: string;
  disabled?: boolean;
  testid?: string;
}) {
  const { label, copy, title, disabled, testid } = props;
  const [copied, setCopied] = useState(false);
  const press = async () => {
    if (!(await copy())) return;
    setCopied(true);
    setTimeout(() => setCopied(false), TOLD);
  };
  const Mark = copied ? Check : Copy;
  return (
    <button
      type="button"
      className="btn btn-ghost btn-xs btn-square align-middle"
      aria-label={copied ? "Copied" : label}
      title={copied ? "Copied" : (title ?? label)}
      data-testid={testid}
      disabled={disabled}
      onClick={() => void press()}
    >
      <Mark size={13} />
    </button>
  );
}

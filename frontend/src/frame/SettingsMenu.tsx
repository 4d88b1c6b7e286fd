import { SlidersHorizontal } from "lucide-react";
import type { ModelState, Schemas, Settings } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useChoices } from "../api/hooks";
import { Explained, OneOf } from "../shared/controls";
import { Floating } from "../shared/Floating";
import { withChoice, withFamily } from "../shared/settings";

type Family = Schemas["FamilyPart"];
type Option = Schemas["OptionPart"];
const ROBUST = ["sandwich", "satorra-bentler"];

function wordsOf(family: Family | undefined, name: keyof Settings, value: unknown): string {
  const option = family?.options.find((one) => one.name === name);
  return option?.choices.find((choice) => choice.value === value)?.words ?? "";
}

/** How the model is estimated, in the words of its family, for the top line. */
function estimationWords(family: Family | undefined, settings: Settings): string {
  const parts = [wordsOf(family, "estimator", settings.estimator)];
  if (ROBUST.includes(settings.errors ?? "")) parts.push("robust");
  if (settings.part === "measurement") parts.push("measurement only");
  if (settings.missing === "full-information") parts.push("full information");
  return parts.join(", ");
}

/** How the model is estimated; every choice is a revision that can be undone. */
export function SettingsMenu({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const settings = model.settings;
  const families = useChoices()?.families ?? [];
  const family = families.find((one) => one.key === settings.family);
  const set = (name: string, value: string | boolean) =>
    void gestures.settings(withChoice(settings, name, value));
  return (
    <Floating
      title="How the model is estimated"
      label="How the model is estimated"
      anchor="right"
      className="btn btn-ghost btn-sm gap-2 font-normal"
      panel="w-[340px] p-4"
      button={
        <>
          <span className="text-quiet">{family?.words} ·</span> {estimationWords(family, settings)}
          <SlidersHorizontal size={14} />
        </>
      }
    >
      {() => (
        <>
          <div className="mb-3">
            <span className="mb-0.5 block text-sm text-quiet">Constructs are</span>
            <OneOf
              label="Family of estimation"
              className="flex-1"
              choices={families}
              value={settings.family}
              set={(key) => {
                const chosen = families.find((one) => one.key === key);
                if (chosen && key !== settings.family) void gestures.settings(withFamily(settings, chosen));
              }}
            />
          </div>
          {family?.options
            .filter((one) => !one.of_run)
            .map((option) =>
              option.choices.length > 0 ? (
                <Pick
                  key={option.name}
                  option={option}
                  value={String(settings[option.name as keyof Settings])}
                  set={(value) => set(option.name, value)}
                />
              ) : (
                <label key={option.name} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="checkbox checkbox-sm"
                    checked={Boolean(settings[option.name as keyof Settings])}
                    onChange={(event) => set(option.name, event.target.checked)}
                  />
                  {option.label}
                </label>
              ),
            )}
          <p className="mt-3">
            <Explained page={family?.traits.page ?? "estimation"}>What each choice does</Explained>
          </p>
        </>
      )}
    </Floating>
  );
}

function Pick({ option, value, set }: { option: Option; value: string; set: (value: string) => void }) {
  // Errors by bootstrap come with a run, which is begun on Effects.
  const choices = option.choices.filter((choice) => choice.value !== "bootstrap" || value === "bootstrap");
  return (
    <label className="mb-3 block">
      <span className="mb-0.5 block text-sm text-quiet">{option.label}</span>
      <select className="select select-sm w-full" value={value} onChange={(event) => set(event.target.value)}>
        {choices.map((choice) => (
          <option key={choice.value} value={choice.value}>
            {choice.words}
          </option>
        ))}
      </select>
      <span className="mt-0.5 block text-sm text-quiet">
        {choices.find((choice) => choice.value === value)?.hint}
      </span>
    </label>
  );
}

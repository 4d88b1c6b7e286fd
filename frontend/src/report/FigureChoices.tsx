import { useState } from "react";
import type { ModelState, Schemas } from "../client/client";
import { useFigureProposal, useListed } from "../api/hooks";
import { copyPicture } from "../shared/clipboard";
import { Explained, Heading, TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import type { FigureOptions, NamedFigure } from "../desk/figures";
import { figureAddress } from "./Page";
import { Pick, PickAny } from "./Pick";

const DISTANCES = ["d_uls", "d_g"];
const WIDTHS = [
  [84, "one column 84"],
  [174, "two columns 174"],
  [257, "across a page 257"],
] as const;
const ENOUGH = 7;
const TOLERABLE = 6;

const NOTATIONS = { literature: "the notation of the literature", cards: "our cards" } as const;
const ROOM: Record<number, string> = { 84: "one column", 174: "two columns", 257: "a page on its side" };

/** What is proposed in words: "One column (84 mm), running down". */
function saidOf(proposed: Schemas["ProposalPart"], parts: string, notation: string) {
  const room = ROOM[proposed.width] ?? "";
  const turned = proposed.direction === "down" ? ", running down" : "";
  const less = proposed.parts === parts ? "" : ", paths alone";
  const drawn = proposed.notation === notation ? "" : `, in ${NOTATIONS[proposed.notation]}`;
  return `Proposed: ${room} (${proposed.width} mm)${turned}${drawn}${less}, type ${proposed.smallest.toFixed(1)} pt`;
}

type Noted = FigureOptions["fit"][number];

interface Props {
  model: ModelState;
  figure: NamedFigure;
  block: Schemas["FigureBlock"];
  set: (options: FigureOptions) => void;
  stamp: string;
}

/** How the selected figure is drawn; what is chosen is kept with the model. */
export function FigureChoices({ model, figure, block, set, stamp }: Props) {
  const { options } = figure;
  const [copied, setCopied] = useState(false);
  const change = (more: Partial<FigureOptions>) => set({ ...options, ...more });
  const parts = options.parts ?? block.parts ?? "both";
  const paths = parts !== "measurement";
  const items = parts !== "structure" && figure.kind === "model";
  const proposed = useFigureProposal(model, figure.key, options, figure.kind === "model").data;
  const asProposed =
    proposed &&
    (options.width === proposed.width || Math.abs(block.width - proposed.width) < 3) &&
    proposed.direction === options.direction &&
    proposed.notation === options.notation &&
    proposed.parts === parts;
  const noted = useListed("note");
  const fit = noted.filter(({ key }) =>
    model.traits.tests ? !DISTANCES.includes(key) : key === "srmr" || DISTANCES.includes(key),
  );
  const verdict = block.smallest >= ENOUGH ? "meets" : block.smallest >= TOLERABLE ? "borderline" : "misses";
  const copy = () =>
    void copyPicture(figureAddress(model, figure.key, "png", options, stamp, { note: "false" })).then(() =>
      setCopied(true),
    );
  return (
    <section className="text-sm" aria-label="How it is drawn">
      <h2 className="mb-2 font-serif text-lg font-semibold">The figure</h2>
      {figure.kind === "model" && (
        <>
          <Pick
            label="notation"
            value={options.notation}
            choices={[
              ["literature", "of the literature"],
              ["cards", "our cards"],
            ]}
            set={(notation) => change({ notation })}
          />
          <Pick
            label="parts"
            value={parts}
            choices={[
              ["both", "items and paths"],
              ["structure", "paths"],
              ["measurement", "items"],
            ]}
            set={(parts) => change({ parts })}
          />
        </>
      )}
      {figure.kind !== "importance" && (
        <>
          <Pick
            label="coefficients"
            value={options.standardized ? "yes" : "no"}
            choices={[
              ["yes", "standardized"],
              ["no", "unstandardized"],
            ]}
            set={(which) => change({ standardized: which === "yes" })}
          />
          {paths && (
            <>
              <Pick
                label="beside them"
                value={options.beside}
                choices={[
                  ["interval", "intervals"],
                  ["stars", "stars"],
                  ["p", "p"],
                  ["se", "SE"],
                  ["nothing", "nothing"],
                ]}
                set={(beside) => change({ beside })}
              />
              <Pick
                label="could be zero"
                value={options.uncertain}
                choices={[
                  ["dashed", "dashed"],
                  ["grey", "grey"],
                  ["hidden", "not drawn"],
                  ["plain", "like others"],
                ]}
                set={(uncertain) => change({ uncertain })}
              />
            </>
          )}
          <PickAny
            label="shown"
            choices={[
              ...(items ? ([["loadings", "loadings", options.loadings]] as const) : []),
              ["r_squared", "R²", options.r_squared],
              ["covariances", "covariances", options.covariances ?? !(paths && model.paths.length > 0)],
              ["residuals", "residuals", options.residuals],
              ...(model.controls.length > 0 ? ([["controls", "controls", options.controls]] as const) : []),
              ["thickness", "thickness by β", options.thickness],
              ...(items ? ([["labels", "wordings", options.labels]] as const) : []),
              ["note", "note", options.note],
            ]}
            set={(key, on) => change({ [key]: on })}
          />
          <PickAny
            label="fit, below"
            choices={fit.map(
              ({ key, label }) => [key as Noted, label, options.fit.includes(key as Noted)] as const,
            )}
            set={(key, on) =>
              change({
                fit: noted
                  .map((one) => one.key as Noted)
                  .filter((one) => (one === key ? on : options.fit.includes(one))),
              })
            }
          />
          <Pick
            label="runs"
            value={options.direction}
            choices={[
              ["across", "across the page"],
              ["down", "down"],
            ]}
            set={(direction) => change({ direction, places: {}, label_places: {} })}
          />
          <Pick
            label="arrows"
            value={options.arrows}
            choices={[
              ["curved", "curved"],
              ["straight", "straight"],
              ["angled", "at right angles"],
            ]}
            set={(arrows) => change({ arrows })}
          />
        </>
      )}
      <div className="flex gap-6">
        <Pick
          label="decimals"
          value={options.decimals}
          choices={[
            [1, "1"],
            [2, "2"],
            [3, "3"],
          ]}
          set={(decimals) => change({ decimals })}
        />
        <Pick
          label="zeros"
          value={options.leading_zero ? "yes" : "no"}
          choices={[
            ["no", ".43"],
            ["yes", "0.43"],
          ]}
          set={(which) => change({ leading_zero: which === "yes" })}
        />
      </div>
      <Pick
        label="letters"
        value={options.typeface}
        choices={[
          ["source", "ours"],
          ["arial", "as Arial"],
          ["times", "as Times"],
        ]}
        set={(typeface) => change({ typeface })}
      />
      <Pick
        label="ink"
        value={options.ink}
        choices={[
          ["black", "black"],
          ["colour", "colour"],
          ["greys", "greys"],
        ]}
        set={(ink) => change({ ink })}
      />
      <Heading className="mb-0">size</Heading>
      <div className="flex items-center gap-1.5">
        <input
          type="number"
          min={40}
          max={400}
          aria-label="width in millimetres"
          className="input input-xs w-16 text-right"
          value={options.width ?? ""}
          placeholder={String(Math.round(block.width))}
          onChange={(event) => {
            const width = Number(event.target.value);
            if (!event.target.value) change({ width: null });
            else if (width >= 40 && width <= 400) change({ width });
          }}
        />
        × {Math.round(block.height)} mm
        <span className="ml-auto flex items-center gap-1" data-testid="smallest-type">
          smallest type <b>{block.smallest.toFixed(1)} pt</b> <Glyph verdict={verdict} size={8} />
        </span>
      </div>
      <div className="mt-0.5 mb-2 flex flex-wrap gap-x-3 text-quiet">
        {WIDTHS.map(([width, words]) => (
          <button
            key={width}
            type="button"
            className={
              options.width === width ? "font-semibold text-base-content" : "hover:text-base-content"
            }
            onClick={() => change({ width: options.width === width ? null : width })}
          >
            {words}
          </button>
        ))}
      </div>
      {proposed && !asProposed && (
        <p className="mb-2 [&>button]:text-left">
          <TextButton
            onClick={() =>
              change({
                width: proposed.width,
                parts: proposed.parts,
                notation: proposed.notation,
                ...(proposed.direction === options.direction && proposed.notation === options.notation
                  ? {}
                  : { direction: proposed.direction, places: {}, label_places: {} }),
              })
            }
          >
            {saidOf(proposed, parts, options.notation)}
          </TextButton>
        </p>
      )}
      {options.width !== null && block.width < options.width - 1 && (
        <p className="mb-2 text-quiet">
          The page is not high enough for {options.width} mm; it is printed at {Math.round(block.width)} mm.
        </p>
      )}
      {verdict === "misses" && (
        <p className="mb-2 text-quiet">
          Too small to be read in print: try {options.notation === "cards" ? "" : "our cards, "}
          {parts === "structure" ? "" : "paths alone, "}or a width across a page.
        </p>
      )}
      {figure.kind === "model" && (
        <p className="mb-1">
          {Object.keys({ ...options.places, ...options.label_places }).length ? (
            <TextButton onClick={() => change({ places: {}, label_places: {} })}>Arrange it again</TextButton>
          ) : (
            <span className="text-quiet">Drag a shape or a number on the page to put it elsewhere.</span>
          )}
        </p>
      )}
      <p className="mb-2 flex flex-wrap gap-x-4">
        <TextButton onClick={copy}>{copied ? "Copied" : "Copy as picture"}</TextButton>
        <a
          className="font-semibold text-ember hover:underline"
          href={`data:application/json,${encodeURIComponent(JSON.stringify(options))}`}
          download="figure-options.json"
        >
          Save these choices
        </a>
        <Explained page="figure">What each does</Explained>
      </p>
    </section>
  );
}

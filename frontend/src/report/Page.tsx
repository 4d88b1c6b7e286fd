import { useLayoutEffect, useRef, useState, type ReactNode } from "react";
import type { ModelState, Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useKeys } from "../shared/keys";
import { HandPlaced } from "./HandPlaced";
import type { FigureOptions, ReportOptions } from "../desk/figures";
import { PX, SIDEWAYS_WIDTH, TEXT_WIDTH } from "./paper";
import { Ruler } from "./Ruler";
import { WordsOnPage } from "./WordsOnPage";

const MARGIN = 5;
const SHORT = 18; // letters that are not broken into lines

type Report = Schemas["ReportDocument"];
type Block = Report["blocks"][number];

interface Props {
  model: ModelState;
  report: Report | undefined;
  options: ReportOptions;
  gestures: Gestures;
  setFigure: (key: string, drawn: FigureOptions) => void;
  chosen: string;
  choose: (key: string) => void;
  stamp: string;
}

/** Where the figure of a key comes from, as it is drawn with these options. */
export const figureAddress = (
  model: ModelState,
  key: string,
  ending: string,
  options: FigureOptions | undefined,
  stamp: string,
  more: Record<string, string> = {},
) =>
  `/api/models/${model.id}/figure.${ending}?${new URLSearchParams({
    key,
    ...(options ? { options: JSON.stringify(options) } : {}),
    stamp,
    ...more,
  }).toString()}`;

/** The report on paper at its true size, or smaller where the window is narrow; what is clicked is selected. */
export function Page({ model, report, options, gestures, setFigure, chosen, choose, stamp }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(800);
  const [by, setBy] = useState(1);
  const shown = report?.blocks.find((one) => one.key === chosen);
  const across = shown?.kind === "figure" && shown.sideways ? SIDEWAYS_WIDTH : TEXT_WIDTH;
  const zoom = Math.min(1.25, (room - 8) / ((across + 2 * MARGIN) * PX)) * by;
  useKeys({
    larger: () => setBy((now) => Math.min(2, now * 1.15)),
    smaller: () => setBy((now) => Math.max(0.4, now / 1.15)),
  });
  useLayoutEffect(() => {
    const element = place.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setRoom(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const sheets = report ? onSheets(report.blocks.filter(kept(options))) : [];
  const pages =
    shown?.kind === "figure" ? `${Math.round(shown.width)} × ${Math.round(shown.height)} mm · ` : "";
  return (
    <div className="flex min-w-0 flex-1 flex-col">
      <p className="flex justify-between text-sm text-quiet">
        <span>
          {shown?.kind === "figure" ? `Figure ${shown.number}, as it is printed` : "As it is printed"}
        </span>
        <span>
          {pages}shown at {Math.round(100 * zoom)} %
        </span>
      </p>
      <div
        ref={place}
        tabIndex={0}
        role="region"
        aria-label="The page"
        className="min-h-0 flex-1 overflow-auto pb-4"
      >
        <Ruler zoom={zoom} margin={MARGIN} width={across} />
        <article aria-label="The report as it is printed">
          {sheets.map(({ sideways, blocks }, at) => (
            <div
              key={at}
              className="report-page mb-3 rounded-sm bg-white text-black shadow"
              data-sideways={sideways}
              style={{
                width: `${(sideways ? SIDEWAYS_WIDTH : TEXT_WIDTH) + 2 * MARGIN}mm`,
                padding: `${MARGIN}mm`,
                zoom,
              }}
            >
              {at === 0 && (report ? <h1>{report.title}</h1> : <p>The report is being put together…</p>)}
              {blocks.map((block) => (
                <Part key={block.key} selected={block.key === chosen} choose={() => choose(block.key)}>
                  {inside(block, { model, options, gestures, setFigure, chosen, stamp, zoom })}
                </Part>
              ))}
              {report && report.references.length > 0 && at === sheets.length - 1 && (
                <section>
                  <h2>References</h2>
                  {report.references.map((text) => (
                    <p key={text} className="entry">
                      {text}
                    </p>
                  ))}
                </section>
              )}
            </div>
          ))}
        </article>
      </div>
    </div>
  );
}

/** The parts on sheets: a figure that is wider than the page has one of its own, turned on its side. */
function onSheets(blocks: Block[]): { sideways: boolean; blocks: Block[] }[] {
  const sheets: { sideways: boolean; blocks: Block[] }[] = [{ sideways: false, blocks: [] }];
  for (const block of blocks) {
    if (block.kind === "figure" && block.sideways) {
      sheets.push({ sideways: true, blocks: [block] }, { sideways: false, blocks: [] });
    } else {
      sheets.at(-1)?.blocks.push(block);
    }
  }
  return sheets.filter((one, at) => one.blocks.length > 0 || at === 0 || at === sheets.length - 1);
}

/** Whether a part is still there: a figure that was just taken out is gone before the report says so. */
const kept = (options: ReportOptions) => (block: Block) =>
  block.kind !== "figure" || options.figures.some((one) => one.key === block.key);

function Part(props: { selected: boolean; choose: () => void; children: ReactNode }) {
  const { selected, choose, children } = props;
  const own = useRef<HTMLElement>(null);
  useLayoutEffect(() => {
    if (selected) own.current?.scrollIntoView({ block: "nearest" });
  }, [selected]);
  return (
    <section
      ref={own}
      onClick={choose}
      className={`-mx-2 rounded px-2 ${selected ? "outline-2 outline-(--color-primary)/40" : ""}`}
    >
      {children}
    </section>
  );
}

interface Around extends Pick<Props, "model" | "options" | "gestures" | "setFigure" | "chosen" | "stamp"> {
  zoom: number;
}

function inside(block: Block, around: Around) {
  const { model, options, gestures, setFigure, chosen, stamp, zoom } = around;
  if (block.kind === "table") return <TableOnPage block={block} />;
  if (block.kind === "words") {
    return <WordsOnPage {...{ model, block, options, gestures }} selected={block.key === chosen} />;
  }
  const figure = options.figures.find((one) => one.key === block.key);
  return (
    <figure>
      <div className="relative" style={{ width: `min(100%, ${block.width}mm)` }}>
        <img
          src={figureAddress(model, block.key, "svg", figure?.options, stamp, { note: "false" })}
          alt={block.title}
          className="w-full"
          style={{ aspectRatio: `${block.width} / ${block.height}` }}
          draggable={false}
        />
        {figure && figure.kind === "model" && block.key === chosen && (
          <HandPlaced
            {...{ block, zoom }}
            shrunk={Math.min(1, (block.sideways ? SIDEWAYS_WIDTH : TEXT_WIDTH) / block.width)}
            options={figure.options}
            set={(drawn) => setFigure(figure.key, drawn)}
          />
        )}
      </div>
      <figcaption>
        <b>Figure {block.number}.</b> {block.title}
      </figcaption>
      {block.note && <p className="note">{block.note}</p>}
    </figure>
  );
}

function TableOnPage({ block }: { block: Schemas["TableBlock"] }) {
  const side = (at: number) => (block.columns[at]?.holds === "text" ? "words" : "");
  return (
    <div className="sheet">
      <table aria-label={`Table ${block.number}. ${block.title}`}>
        <caption>
          <b>Table {block.number}.</b> {block.title}
        </caption>
        <thead>
          <tr>
            {block.columns.map((column, at) => (
              <th key={at} scope="col" className={side(at)}>
                {column.words}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {block.rows.map((row, down) => (
            <tr key={down} className={row.heading ? "heading" : row.inset ? "inset" : ""}>
              {row.cells.map((cell, at) => (
                <td key={at} className={`${side(at)} ${cell.length < SHORT ? "short" : ""}`}>
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {block.notes.length > 0 && <p className="note">Note. {block.notes.join(" ")}</p>}
    </div>
  );
}

import { Fragment, useState } from "react";
import type { Schemas } from "../client/client";
import { useChoices, useCriteria, useListed } from "../api/hooks";
import { CopyDrawn } from "../shared/CopyDrawn";
import { TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, containsZero, interval, plain, pWords, written } from "../shared/numbers";
import { judge } from "../shared/verdict";
import { gapWords, scaleOf } from "./scale";
import { colourOf, Mark, Shape } from "./shapes";

/** An estimator in words, as the settings have them. */
function estimatorWords(families: Schemas["FamilyPart"][], m: { family: string; estimator: string }) {
  const known = families
    .find((family) => family.key === m.family)
    ?.options.find((o) => o.name === "estimator");
  return known?.choices.find((choice) => choice.value === m.estimator)?.words ?? m.estimator;
}

export type Compared = Schemas["Compared"];
type Column = Compared["models"][number];
type Path = Compared["paths"][number];

/** Models as columns: figures, then every path as a whisker with its value and its distance from the first. */
export function SideBySide({ found, begin }: { found: Compared; begin: (column: Column) => void }) {
  const figures = useListed("models").filter(({ key }) =>
    found.models.some((m) => typeof m.fit?.[key as "cfi"] === "number"),
  );
  const families = useChoices()?.families ?? [];
  const { models, paths } = found;
  const explained = [...new Set(models.flatMap((m) => Object.keys(m.r_squared)))].filter((name) =>
    paths.some((p) => p.to === name),
  );
  const tests = (m: Column) => families.find((one) => one.key === m.family)?.traits.tests ?? true;
  const nothing = (m: Column) => (m.estimated ? (tests(m) ? "–" : "not of this family") : "not estimated");
  return (
    <>
      <table className="mt-2 w-full" aria-label="Figures of the models">
        <thead>
          <tr>
            <th scope="col" className="w-[210px] text-left">
              <span className="sr-only">figure</span>
              <CopyDrawn label="Figures of the models" />
            </th>
            {models.map((m, at) => (
              <th key={at} scope="col" className="pb-1 pl-4 text-right font-normal">
                <span className="flex items-center justify-end gap-1.5">
                  <Mark at={at} />
                  <span className="truncate font-serif text-[15px] font-semibold" title={m.words}>
                    {m.name}
                  </span>
                </span>
                <span className="block text-xs text-quiet">
                  {families.find((family) => family.key === m.family)?.words}, {estimatorWords(families, m)}
                </span>
                {m.estimated && !m.intervals && (
                  <span data-not-copied>
                    <TextButton className="text-sm" onClick={() => begin(m)}>
                      Add intervals
                    </TextButton>
                  </span>
                )}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <Line words="cases" cells={models.map((m) => (m.n_used === null ? "–" : String(m.n_used)))} />
          <Line
            words="χ² (df), p"
            cells={models.map((m) =>
              typeof m.fit?.chi_square === "number"
                ? `${plain(m.fit.chi_square, 1)} (${m.fit.df}), ${pWords(m.fit.p_value)}`
                : nothing(m),
            )}
          />
          {figures.map((criterion) => (
            <Line
              key={criterion.key}
              words={criterion.label}
              cells={models.map((m) => {
                const value = m.fit?.[criterion.key as "cfi"];
                if (typeof value !== "number") return nothing(m);
                return (
                  <>
                    {typeof criterion.good === "number" && (
                      <Glyph verdict={judge(criterion, m.fit?.df === 0 ? null : value)} size={8} />
                    )}{" "}
                    {written(criterion, value)}
                    {criterion.key === "rmsea" && m.fit?.rmsea_interval && (
                      <span className="text-quiet"> {interval(m.fit.rmsea_interval, 3)}</span>
                    )}
                  </>
                );
              })}
            />
          ))}
          {explained.map((name) => (
            <Line
              key={name}
              words={`R² ${name}`}
              cells={models.map((m) => (m.estimated ? coefficient(m.r_squared[name]) : nothing(m)))}
            />
          ))}
        </tbody>
      </table>
      {paths.length > 0 && <Whiskers models={models} paths={paths} />}
      {models.length > 1 && <Measurement models={models} />}
    </>
  );
}

function Line({ words, cells }: { words: string; cells: React.ReactNode[] }) {
  return (
    <tr>
      <th scope="row" className="py-[1.5px] text-left font-normal text-quiet">
        {words}
      </th>
      {cells.map((cell, at) => (
        <td
          key={at}
          className={`whitespace-nowrap pl-4 text-right tabular-nums ${typeof cell === "string" && /^not/.test(cell) ? "text-sm text-quiet" : ""}`}
        >
          {cell}
        </td>
      ))}
    </tr>
  );
}

const OF_CONSTRUCTS = [
  { key: "ave", words: "AVE" },
  { key: "composite_reliability", words: "composite reliability" },
  { key: "rho_a", words: "rho_A" },
  { key: "alpha", words: "alpha" },
  { key: "htmt_highest", words: "highest HTMT", criterion: "htmt" },
] as const;

/** Loadings and reliabilities of every construct in every model, with what the cut-offs say of them. */
function Measurement({ models }: { models: Column[] }) {
  const criteria = useCriteria();
  const names = [...new Set(models.flatMap((m) => m.constructs.map((c) => c.name)))];
  const [open, unfold] = useState<string | null>(null);
  return (
    <table className="mt-5 w-full" aria-label="Measurement in the models">
      <thead>
        <tr>
          <th scope="col" className="w-[210px] text-left font-serif text-[15px] font-semibold">
            Measurement <CopyDrawn label="Measurement in the models" />
          </th>
          {models.map((m, at) => (
            <th key={at} scope="col" className="pl-4 text-right">
              <Mark at={at} /> <span className="sr-only">{m.name}</span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {names.map((name) => {
          const own = models.map((m) => m.constructs.find((c) => c.name === name));
          const items = [
            ...new Set(
              models.flatMap((m) => m.loadings.filter((l) => l.construct === name).map((l) => l.indicator)),
            ),
          ];
          return (
            <Fragment key={name}>
              <tr>
                <th scope="row" className="pt-1.5 text-left font-semibold" colSpan={models.length + 1}>
                  {name}{" "}
                  <TextButton
                    className="text-sm font-normal"
                    aria-expanded={open === name}
                    onClick={() => unfold(open === name ? null : name)}
                  >
                    {open === name ? "fold" : `${items.length} ${items.length === 1 ? "item" : "items"}`}
                  </TextButton>
                </th>
              </tr>
              {OF_CONSTRUCTS.filter(({ key }) => own.some((c) => typeof c?.[key] === "number")).map(
                ({ key, words, ...rest }) => (
                  <Line
                    key={key}
                    words={words}
                    cells={own.map((c) => {
                      const value = c?.[key];
                      if (typeof value !== "number") return c ? "not of this family" : "not in it";
                      const criterion = criteria.get("criterion" in rest ? rest.criterion : key);
                      return (
                        <>
                          <Glyph verdict={judge(criterion, value, c?.composite_reliability)} size={8} />{" "}
                          {coefficient(value)}
                        </>
                      );
                    })}
                  />
                ),
              )}
              {open === name &&
                items.map((item) => (
                  <Line
                    key={item}
                    words={item}
                    cells={models.map((m) => {
                      const line = m.loadings.find((l) => l.construct === name && l.indicator === item);
                      return line ? coefficient(line.loading) : "not in it";
                    })}
                  />
                ))}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}

const WIDTH = 260;
const MOST = 12;
const APART = 0.05;

/** Every path of every model: dashed where its interval contains zero, hollow where there is no interval. */
function Whiskers({ models, paths }: { models: Column[]; paths: Path[] }) {
  const { low, high, ticks } = scaleOf(paths);
  const x = (value: number) => 10 + ((value - low) / (high - low)) * (WIDTH - 20);
  const height = Math.max(26, 9 * models.length + 8);
  const [all, showAll] = useState(false);
  const apart = paths.filter((path) =>
    path.standardized.some(
      (value) => value === null || Math.abs(value - (path.standardized[0] ?? value)) >= APART,
    ),
  );
  const folded = paths.length > MOST && !all && models.length > 1;
  const shown = folded ? apart : paths;
  return (
    <table className="mt-4 w-full border-separate border-spacing-y-[2px]" aria-label="Paths of the models">
      <thead>
        <tr>
          <th scope="col" className="w-[170px] text-left">
            <span className="sr-only">path</span>
            <CopyDrawn label="Paths of the models" />
          </th>
          <th scope="col" style={{ width: WIDTH }}>
            <svg width={WIDTH} height={16} aria-hidden="true" className="block">
              {ticks.map((tick) => (
                <text key={tick} x={x(tick)} y={11} textAnchor="middle" className="fill-quiet text-[11px]">
                  {tick === 0 ? "0" : coefficient(tick, 1)}
                </text>
              ))}
            </svg>
            <span className="sr-only">as whiskers</span>
          </th>
          {models.map((m, at) => (
            <th key={at} scope="col">
              <span className="sr-only">{m.name}</span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {shown.map((path, row) => (
          <tr key={`${path.from} ${path.to}`} className={row % 2 === 0 ? "bg-base-200/60" : ""}>
            <th scope="row" className="rounded-l-md pl-2 text-left text-sm font-semibold">
              {path.from} → {path.to}
            </th>
            <td style={{ width: WIDTH }}>
              <svg width={WIDTH} height={height} aria-hidden="true" className="block">
                <path d={`M${x(0)} 0V${height}`} className="stroke-gold" />
                {models.map((_, at) => {
                  const value = path.standardized[at];
                  if (value === null || value === undefined) return null;
                  const bounds = path.interval[at] ?? null;
                  const y = height / 2 + 9 * (at - (models.length - 1) / 2);
                  return (
                    <g key={at} className={colourOf(at)}>
                      {bounds && (
                        <path
                          d={`M${x(bounds[0] ?? value)} ${y}H${x(bounds[1] ?? value)}`}
                          stroke="currentColor"
                          strokeWidth={1.8}
                          strokeDasharray={containsZero(bounds) ? "3 2.5" : undefined}
                        />
                      )}
                      <Shape at={at} x={x(value)} y={y} size={3.4} />
                    </g>
                  );
                })}
              </svg>
            </td>
            {models.map((_, at) => (
              <td key={at} className="whitespace-nowrap pl-4 pr-2 text-right tabular-nums last:rounded-r-md">
                <Value path={path} at={at} />
              </td>
            ))}
          </tr>
        ))}
        {paths.length > MOST && models.length > 1 && (
          <tr>
            <td colSpan={models.length + 2} className="pt-1">
              <TextButton onClick={() => showAll(!all)}>
                {folded ? `${paths.length - apart.length} more, nowhere .05 apart` : "Only those that part"}
              </TextButton>
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

function Value({ path, at }: { path: Path; at: number }) {
  const value = path.standardized[at];
  if (value === null || value === undefined) return <span className="text-sm text-quiet">not in it</span>;
  const first = path.standardized[0];
  const gap = at > 0 ? gapWords(value, typeof first === "number" ? first : null) : "";
  return (
    <>
      {gap && <span className="mr-3 text-sm text-quiet">{gap}</span>}
      <span className="font-semibold">{coefficient(value)}</span>
    </>
  );
}

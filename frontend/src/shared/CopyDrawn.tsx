import { asHtml, asTabs, copyBoth } from "./clipboard";
import { CopyButton } from "./CopyButton";

/** What a cell says, without what is only to be pressed in it. */
function textOf(cell: Element): string {
  const own = cell.cloneNode(true) as Element;
  own.querySelectorAll("[data-not-copied]").forEach((one) => one.remove());
  return (own.textContent ?? "").replace(/\s+/g, " ").trim();
}

/** What a table on screen says, cell by cell; numbers stand to the right as they do there, and the folded rest is not in it. */
export function drawnTable(table: HTMLTableElement): { heads: string[]; rows: string[][]; words: boolean[] } {
  const lines = [...table.rows].map((row) =>
    [...row.cells].flatMap((cell) => [
      textOf(cell),
      ...Array<string>(Math.max(cell.colSpan - 1, 0)).fill(""),
    ]),
  );
  const wide = Math.max(0, ...lines.map((line) => line.length));
  const whole = lines.map((line) => [...line, ...Array<string>(wide - line.length).fill("")]);
  const headed = Boolean(table.tHead?.rows.length);
  const heads = headed ? (whole.shift() ?? []) : Array<string>(wide).fill("");
  const words = heads.map((_, at) => whole.every((row) => !/^[−-]?[\d.]/.test(row[at] ?? "")));
  return { heads, rows: whole, words };
}

/** Copies a table as it stands on screen: for a spreadsheet as text, for a word processor as a table. */
export function CopyDrawn({ label }: { label: string }) {
  const copy = async () => {
    const table = document.querySelector<HTMLTableElement>(`table[aria-label="${label}"]`);
    if (!table) return false;
    const { heads, rows, words } = drawnTable(table);
    const named = heads.some(Boolean) ? [heads, ...rows] : rows;
    const page = asHtml(heads, rows, words, label);
    return (await copyBoth(asTabs(named[0] ?? [], named.slice(1)), page)) !== null;
  };
  return <CopyButton label={`Copy as a table: ${label}`} copy={copy} />;
}

/** A line that does not read yet: its text, and how many lines that read stand above it. */
export interface Draft {
  after: number;
  text: string;
}

/** The lines of the model with the drafts in their places. */
export function withDrafts(said: string[], drafts: Draft[]): string[] {
  const rows: string[] = [];
  const waiting = [...drafts];
  for (let read = 0; read <= said.length; read += 1) {
    while (waiting[0] && (waiting[0].after <= read || read === said.length)) {
      rows.push(waiting.shift()?.text ?? "");
    }
    const line = said[read];
    if (line !== undefined) rows.push(line);
  }
  return rows;
}

/** The drafts among rows of which it is known which read. */
export function draftsOf(rows: string[], reads: boolean[]): Draft[] {
  const drafts: Draft[] = [];
  let read = 0;
  rows.forEach((text, at) => {
    if (reads[at] === false) drafts.push({ after: read, text });
    else read += 1;
  });
  return drafts;
}

/** What the rows become once those that read are written as the model says them; blank lines at the end are dropped. */
export function asWritten(rows: string[], reads: boolean[], said: string[]): string[] {
  let read = 0;
  return rows.map((row, at) => (reads[at] === false ? row : (said[read++] ?? "")));
}

/** The smallest run of lines that differs: from which to which line of the old, and what stands there in the new. */
export function difference(
  old: string[],
  now: string[],
): { from: number; to: number; lines: string[] } | null {
  let from = 0;
  while (from < old.length && from < now.length && old[from] === now[from]) from += 1;
  let tail = 0;
  while (
    tail < old.length - from &&
    tail < now.length - from &&
    old[old.length - 1 - tail] === now[now.length - 1 - tail]
  ) {
    tail += 1;
  }
  if (from === old.length && from === now.length) return null;
  return { from, to: old.length - tail, lines: now.slice(from, now.length - tail) };
}

/** The lines of a text; the line break at its end begins no other. */
export function linesOf(text: string): string[] {
  const rows = text.split("\n");
  if (rows[rows.length - 1] === "") rows.pop();
  return rows;
}

/** The lines to go on with where some were typed and not left: as they were typed, or, where the model has changed meanwhile, its
 * lines with those that were typed and are in neither at the end. */
export function asTyped(typed: { before: string; text: string }, now: string): string[] {
  const rows = typed.text.split("\n");
  if (typed.before === now) return rows;
  const known = new Set([...linesOf(typed.before), ...linesOf(now)].map((line) => line.trim()));
  return [...linesOf(now), ...rows.filter((row) => row.trim() && !known.has(row.trim()))];
}

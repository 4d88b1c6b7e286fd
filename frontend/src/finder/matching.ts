/** A piece of a text, and whether it is what was looked for. */
export interface Piece {
  text: string;
  found: boolean;
}

function wordsOf(typed: string): string[] {
  return typed.toLowerCase().split(/\s+/).filter(Boolean);
}

/**
 * How well something fits what was typed: every word of it has to be there. Smaller is better; null where it does not fit. Beginnings
 * count before middles, the name before what is said beside it, short before long. Another name counts by its beginning, or whole.
 */
export function fit(typed: string, name: string, beside = "", also: string[] = []): number | null {
  const whole = typed.toLowerCase().trim();
  const others = also.map((other) => other.toLowerCase());
  if (others.includes(whole)) return 0;
  const lower = name.toLowerCase();
  const other = beside.toLowerCase();
  const begun = whole.length > 2 && others.some((other) => other.startsWith(whole));
  let cost = name.length / 200;
  for (const word of wordsOf(typed)) {
    const at = lower.indexOf(word);
    if (at === 0) continue;
    if (at > 0) cost += /[\s“(→&_.-]/.test(lower[at - 1] ?? "") ? 1 : 3;
    else if (other.includes(word)) cost += 6;
    else return begun ? 2 : null;
  }
  return begun ? Math.min(cost, 2) : cost;
}

/** A name with what was looked for in it told apart. */
export function pieces(typed: string, name: string): Piece[] {
  const lower = name.toLowerCase();
  const marked = new Array<boolean>(name.length).fill(false);
  for (const word of wordsOf(typed)) {
    const at = lower.indexOf(word);
    if (at >= 0) marked.fill(true, at, at + word.length);
  }
  const found: Piece[] = [];
  for (let i = 0; i < name.length; i += 1) {
    const last = found[found.length - 1];
    if (last && last.found === marked[i]) last.text += name[i];
    else found.push({ text: name[i] ?? "", found: marked[i] ?? false });
  }
  return found;
}

/** Lists that share some lines: each has its share of them, and what one does not need of the room is the next ones'. */
export function shared<T>(lists: { own: T[]; share: number }[], room: number): T[] {
  const taken = lists.map(({ own, share }) => Math.min(own.length, share));
  let spare = room - taken.reduce((sum, count) => sum + count, 0);
  return lists.flatMap(({ own }, i) => {
    const more = Math.max(0, Math.min(spare, own.length - (taken[i] ?? 0)));
    spare -= more;
    return own.slice(0, (taken[i] ?? 0) + more);
  });
}

import type { Effect } from "../client/client";

/** All stations of an effect along one route; only source and outcome of the others. */
export function stationsOf(effect: Effect): string[] {
  return [effect.from, ...(effect.via ?? []), effect.to];
}

/** The stations of some routes in causal order: each as far along as the longest way to it. */
export function inOrder(effects: Effect[]): string[] {
  const far = new Map<string, number>();
  for (const effect of effects) {
    if (effect.via === null) continue;
    stationsOf(effect).forEach((name, at) => far.set(name, Math.max(far.get(name) ?? 0, at)));
  }
  const target = effects[0]?.to;
  if (target !== undefined) far.set(target, Infinity);
  return [...far.keys()].sort((a, b) => (far.get(a) ?? 0) - (far.get(b) ?? 0));
}

/** Whether some variable leads back to itself: then an effect has no end of routes. */
export function circular(effects: Effect[]): boolean {
  const pairs = new Set(effects.map((effect) => `${effect.from}\u0000${effect.to}`));
  return effects.some((effect) => pairs.has(`${effect.to}\u0000${effect.from}`));
}

/** What else leads to the mediators and the outcome: held constant by every effect of the pair. */
export function controls(effects: Effect[], paths: { source: string; target: string }[]): string[] {
  const on = new Set(effects.flatMap((effect) => (effect.via === null ? [] : stationsOf(effect))));
  const source = effects[0]?.from;
  return [
    ...new Set(
      paths
        .filter((path) => on.has(path.target) && path.target !== source && !on.has(path.source))
        .map((p) => p.source),
    ),
  ];
}

const MANY = 8;

/** A pair to begin with: that of the longest hypothesised route, else the one with most routes that can still be taken in at a
 glance, of these the last. */
export function telling(
  effects: Effect[],
  routes: string[][] = [],
): { source: string; target: string } | null {
  const asked = [...routes]
    .filter((route) => effects.some((e) => e.from === route[0] && e.to === route[route.length - 1]))
    .sort((a, b) => b.length - a.length)[0];
  if (asked) return { source: asked[0] ?? "", target: asked[asked.length - 1] ?? "" };
  const counts = new Map<string, { source: string; target: string; count: number }>();
  for (const effect of effects) {
    const key = `${effect.from}\u0000${effect.to}`;
    const known = counts.get(key) ?? { source: effect.from, target: effect.to, count: 0 };
    counts.set(key, { ...known, count: known.count + (effect.via === null ? 0 : 1) });
  }
  const few = [...counts.values()].filter((one) => one.count <= MANY);
  return (few.length > 0 ? few : [...counts.values()]).reduce<{
    source: string;
    target: string;
    count: number;
  } | null>((best, one) => (best && best.count > one.count ? best : one), null);
}

/** Round ticks on a range. */
export function ticksOf(low: number, high: number): number[] {
  const wide = high - low || 1;
  const raw = wide / 5;
  const size = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((k) => k * size).find((s) => s >= raw) ?? raw;
  const found = [];
  for (let i = Math.ceil(low / step - 1e-9); i * step <= high + 1e-9; i++)
    found.push(Number((i * step).toPrecision(6)));
  return found;
}

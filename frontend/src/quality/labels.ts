const LINE = 14;

/** Where names stand so that none lies on another: each as near to its own height as those before it allow. */
export function labelHeights(places: { name: string; x: number; y: number }[]): Map<string, number> {
  const taken: { x: number; y: number }[] = [];
  const found = new Map<string, number>();
  for (const place of [...places].sort((a, b) => a.x - b.x)) {
    const near = taken.filter((one) => Math.abs(one.x - place.x) < 84);
    const heights = [0, 1, -1, 2, -2, 3, -3, 4, -4].map((step) => place.y + step * LINE);
    const y = heights.find((h) => near.every((one) => Math.abs(one.y - h) >= LINE)) ?? place.y;
    taken.push({ x: place.x, y });
    found.set(place.name, y);
  }
  return found;
}

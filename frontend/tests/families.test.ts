// Two families in one product: settings that follow the family, figures that tell revisions apart, words for intervals.
import { describe, expect, test } from "vitest";
import type { Parameter, ReadoutFigure, Schemas, Settings, Shown } from "../src/client/client";
import { withChoice, withFamily } from "../src/shared/settings";
import { canHold } from "../src/shared/HoldMenu";
import { basis, telling } from "../src/shared/basis";

type Family = Schemas["FamilyPart"];
const option = (name: string, ...values: string[]) => ({
  name,
  label: name,
  hint: "",
  choices: values.map((value) => ({ value, words: value, hint: "" })),
});
const factors = {
  key: "covariance",
  words: "common factors",
  options: [
    option("estimator", "ml", "gls"),
    option("missing", "listwise", "full-information", "mean"),
    option("errors", "expected", "sandwich"),
    option("means"),
  ],
} as unknown as Family;
const composites = {
  key: "composite",
  words: "composites",
  options: [option("estimator", "plsc", "pls"), option("missing", "listwise", "mean", "pairwise")],
} as unknown as Family;
const settings = {
  family: "covariance",
  estimator: "gls",
  missing: "mean",
  errors: "sandwich",
  means: true,
  bollen_stine: true,
  seed: 7,
  level: 0.9,
} as Settings;

describe("another family", () => {
  test("keeps what both have, and begins the rest at its default", () => {
    const found = withFamily(settings, composites);
    expect(found).toMatchObject({
      family: "composite",
      estimator: "plsc",
      missing: "mean",
      seed: 7,
      level: 0.9,
    });
    expect(found).toMatchObject({ errors: "expected", means: false, bollen_stine: false });
  });

  test("has no answer missing in a way that it cannot", () => {
    expect(withFamily({ ...settings, missing: "full-information" }, composites).missing).toBe("listwise");
    const back = withFamily(
      { ...settings, family: "composite", estimator: "pls", missing: "pairwise" },
      factors,
    );
    expect(back).toMatchObject({ family: "covariance", estimator: "ml", missing: "listwise" });
  });

  test("and back is what it was, as far as both could say it", () => {
    const there = withFamily({ ...settings, estimator: "ml", errors: "expected", means: false }, composites);
    expect(withFamily(there, factors)).toMatchObject({
      estimator: "ml",
      missing: "mean",
      errors: "expected",
    });
  });

  test("changes nothing that was not asked for when one setting is changed", () => {
    expect(withChoice(settings, "estimator", "ml")).toEqual({ ...settings, estimator: "ml" });
  });
});

const figure = (key: string, value: number | null = 1) => ({ key, criterion: key, value }) as ReadoutFigure;

describe("figures that tell revisions apart", () => {
  test("are CFI and RMSEA among common factors", () => {
    const readout = ["chi_square", "cfi", "tli", "rmsea", "srmr", "lowest_ave"].map((key) => figure(key));
    expect(telling(readout).map((one) => one.key)).toEqual(["cfi", "rmsea"]);
  });

  test("are those that composites have", () => {
    const readout = ["srmr", "r_squared.Y", "lowest_ave", "highest_htmt", "highest_vif"].map((key) =>
      figure(key),
    );
    expect(telling(readout).map((one) => one.key)).toEqual(["srmr", "lowest_ave", "highest_htmt"]);
  });

  test("are never those without a value", () => {
    expect(
      telling([figure("cfi", null), figure("srmr"), figure("lowest_ave", null)]).map((one) => one.key),
    ).toEqual(["srmr"]);
  });
});

describe("where an interval comes from", () => {
  const shown = (family: string) =>
    ({
      settings: { family, level: 0.95 },
      interval_words: "percentile",
      errors_words: "expected information",
      traits: { errors: family === "covariance" },
      bootstrap: { used: 5000 },
    }) as unknown as Shown;
  const plain = { standardized_bootstrap: null } as unknown as Parameter;
  const drawn = { standardized_bootstrap: {} } as unknown as Parameter;

  test("is said for each family", () => {
    expect(basis(plain, shown("covariance"))).toBe("95 % from the standard error (expected information)");
    expect(basis(plain, shown("composite"))).toBe("no interval without a bootstrap (Effects)");
    expect(basis(drawn, shown("composite"))).toBe("95 % percentile bootstrap, 5,000 resamples");
  });

  test("values are held where a family can", () => {
    expect(canHold({ traits: { holds: true } } as never)).toBe(true);
    expect(canHold({ traits: { holds: false } } as never)).toBe(false);
  });
});

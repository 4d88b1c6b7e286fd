import { expect, test } from "vitest";
import { drawnTable } from "../src/shared/CopyDrawn";

test("a table is copied cell by cell as it stands, without what is only to be pressed", () => {
  const page = document.createElement("div");
  page.innerHTML = `<table aria-label="x"><thead><tr><th><button></button></th><th>Model 1 <span data-not-copied>Add intervals</span></th></tr></thead>
    <tbody><tr><th>CFI</th><td> .986 </td></tr><tr><td colspan="2">and more</td></tr><tr><th>χ²</th><td>−3.1</td></tr></tbody></table>`;
  const table = page.querySelector("table");
  if (!table) throw new Error("no table");
  expect(drawnTable(table)).toEqual({
    heads: ["", "Model 1"],
    rows: [
      ["CFI", ".986"],
      ["and more", ""],
      ["χ²", "−3.1"],
    ],
    words: [true, false],
  });
});

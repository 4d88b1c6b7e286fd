import { attempt } from "../api/attempt";

const escaped = (text: string) =>
  text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;").replace(/"/g, "&quot;");

/** A table as a word processor takes it, with the three lines of a journal. */
export function asHtml(heads: string[], rows: string[][], words: boolean[], title = "", note = ""): string {
  const line = "border-bottom:1pt solid #000";
  const cell = (tag: string, text: string, at: number, style = "") =>
    `<${tag} style="text-align:${words[at] ? "left" : "right"};font-weight:normal;padding:1pt 5pt;${style}">${escaped(text)}</${tag}>`;
  const head = heads.map((text, at) => cell("th", text, at, `border-top:1pt solid #000;${line}`)).join("");
  const body = rows.map((row, down) => {
    const last = down === rows.length - 1 ? line : "";
    return `<tr>${row.map((text, at) => cell("td", text, at, last)).join("")}</tr>`;
  });
  return (
    `<meta charset="utf-8">${title && `<p><b>${escaped(title)}</b></p>`}` +
    `<table style="border-collapse:collapse"><thead><tr>${head}</tr></thead><tbody>${body.join("")}</tbody></table>` +
    (note && `<p>${escaped(note)}</p>`)
  );
}

/** A table as text with tabs, as a spreadsheet takes it. */
export const asTabs = (heads: string[], rows: string[][]) =>
  [heads, ...rows].map((row) => row.map((text) => text.replace(/[\t\n]/g, " ")).join("\t")).join("\n");

/** Puts a text on the clipboard, and beside it what a word processor makes a table of. */
export function copyBoth(text: string, html: string) {
  return attempt(async () => {
    if (typeof ClipboardItem === "undefined") return navigator.clipboard.writeText(text);
    const item = new ClipboardItem({
      "text/plain": new Blob([text], { type: "text/plain" }),
      "text/html": new Blob([html], { type: "text/html" }),
    });
    return navigator.clipboard.write([item]);
  });
}

/** Puts a picture on the clipboard. */
export function copyPicture(address: string) {
  return attempt(async () => {
    const answer = await fetch(address);
    if (!answer.ok) throw new Error("The picture could not be made.");
    await navigator.clipboard.write([new ClipboardItem({ "image/png": await answer.blob() })]);
  });
}

import { attempt } from "../api/attempt";
import font from "@fontsource-variable/source-sans-3/files/source-sans-3-latin-wght-normal.woff2?url";

const KEPT = [
  "fill",
  "fill-opacity",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-opacity",
  "font-size",
  "font-weight",
  "font-family",
  "text-anchor",
  "opacity",
];
const DOTS = 3; // a point of the picture is so many of the saved one

/** A copy of a picture that means the same outside of the page: by day, with its colours and type written into it. */
function standalone(svg: SVGSVGElement): SVGSVGElement {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const { width, height } = svg.viewBox.baseVal;
  const place = document.createElement("div");
  place.dataset["theme"] = "dusk-day";
  place.style.cssText = "position:absolute;left:-9999px;top:0";
  place.append(copy);
  document.body.append(place);
  for (const part of [copy, ...copy.querySelectorAll<SVGElement>("*")]) {
    const look = getComputedStyle(part);
    for (const name of KEPT) part.style.setProperty(name, look.getPropertyValue(name));
    part.removeAttribute("class");
  }
  place.remove();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  return copy;
}

function hand(content: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

async function typeface(): Promise<string> {
  const bytes = new Uint8Array(await (await fetch(font)).arrayBuffer());
  let text = "";
  for (const byte of bytes) text += String.fromCharCode(byte);
  return `@font-face{font-family:"Source Sans 3 Variable";font-weight:200 900;src:url(data:font/woff2;base64,${btoa(text)})}`;
}

/** Saves a picture of the page as SVG: text stays text. */
export function saveSvg(svg: SVGSVGElement, name: string) {
  const text = new XMLSerializer().serializeToString(standalone(svg));
  hand(new Blob([text], { type: "image/svg+xml" }), `${name}.svg`);
}

/** Saves a picture of the page as PNG on white, large enough for print. */
export function savePng(svg: SVGSVGElement, name: string) {
  return attempt(async () => {
    const copy = standalone(svg);
    const style = document.createElementNS("http://www.w3.org/2000/svg", "style");
    style.textContent = await typeface();
    copy.prepend(style);
    const { width, height } = svg.viewBox.baseVal;
    const image = new Image();
    image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(new XMLSerializer().serializeToString(copy))}`;
    await image.decode();
    const canvas = document.createElement("canvas");
    canvas.width = DOTS * width;
    canvas.height = DOTS * height;
    const pen = canvas.getContext("2d");
    if (!pen) throw new Error("The browser gives no canvas to draw on.");
    pen.fillStyle = "#ffffff";
    pen.fillRect(0, 0, canvas.width, canvas.height);
    pen.drawImage(image, 0, 0, canvas.width, canvas.height);
    const content = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, "image/png"));
    if (!content) throw new Error("The picture could not be made.");
    hand(content, `${name}.png`);
  });
}

import { csvText } from "@/core/csv";
import { download } from "@/ui/shell/download";

/** Properties that say how a mark looks, written into a picture that stands alone. */
const LOOKS = [
  "fill",
  "fill-opacity",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-opacity",
  "paint-order",
  "opacity",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
] as const;

/** A picture has twice as many pixels as the screen shows, for print. */
const PIXELS_A_POINT = 2;

/** A drawing with all of its looks in it, on the paper it lies on. */
function standing(svg: SVGSVGElement): { text: string; width: number; height: number } {
  const { width, height } = svg.getBoundingClientRect();
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const [from, to] = [
    [svg, ...svg.querySelectorAll("*")],
    [copy, ...copy.querySelectorAll("*")],
  ];
  for (const [i, element] of from.entries()) {
    const looks = getComputedStyle(element);
    const own = to[i];
    for (const name of LOOKS) own.setAttribute(name, looks.getPropertyValue(name));
    own.removeAttribute("class");
    own.removeAttribute("style");
  }
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  const paper = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  paper.setAttribute("width", "100%");
  paper.setAttribute("height", "100%");
  paper.setAttribute("fill", getComputedStyle(document.body).backgroundColor);
  copy.prepend(paper);
  return { text: new XMLSerializer().serializeToString(copy), width, height };
}

export function saveSvg(svg: SVGSVGElement, name: string): void {
  download(`${name}.svg`, new Blob([standing(svg).text], { type: "image/svg+xml" }));
}

export async function savePng(svg: SVGSVGElement, name: string): Promise<void> {
  const { text, width, height } = standing(svg);
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
  await picture.decode();
  const canvas = document.createElement("canvas");
  canvas.width = width * PIXELS_A_POINT;
  canvas.height = height * PIXELS_A_POINT;
  canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  canvas.toBlob((blob) => blob && download(`${name}.png`, blob), "image/png");
}

/** A table as rows: figures in full, text in quotes where it needs them. */
export type Table = { columns: readonly string[]; rows: readonly (readonly (string | number | null)[])[] };

export const csvOf = ({ columns, rows }: Table): string => csvText([columns, ...rows]);

export const saveCsv = (table: Table, name: string): void =>
  download(`${name}.csv`, new Blob([csvOf(table)], { type: "text/csv" }));

import { useRef, type ReactNode } from "react";
import { savePng, saveSvg } from "./saving";
import { TextButton } from "./controls";

/** A plot that can be saved as it is, as SVG and as PNG. */
export function Picture(props: {
  name: string;
  label: string;
  width: number;
  height: number;
  className?: string;
  children: ReactNode;
}) {
  const { name, label, width, height, className = "", children } = props;
  const svg = useRef<SVGSVGElement>(null);
  return (
    <figure className="min-w-0">
      <svg
        ref={svg}
        viewBox={`0 0 ${width} ${height}`}
        className={`w-full ${className}`}
        role="img"
        aria-label={label}
      >
        {children}
      </svg>
      <figcaption className="mt-0.5 flex justify-end gap-3 text-sm text-quiet">
        Save as
        <TextButton onClick={() => svg.current && saveSvg(svg.current, name)}>SVG</TextButton>
        <TextButton onClick={() => svg.current && void savePng(svg.current, name)}>PNG</TextButton>
      </figcaption>
    </figure>
  );
}

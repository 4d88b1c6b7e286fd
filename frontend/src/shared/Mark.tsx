import { Link } from "react-router";

/** The product's mark and name; leads to the start page. */
export function Mark() {
  return (
    <Link to="/" className="flex items-center gap-2" aria-label="Dusk Arrow: all projects">
      <img src="/mark.svg" alt="" width={30} height={22} />
      <span className="font-serif text-[19px] font-semibold tracking-tight">Dusk Arrow</span>
    </Link>
  );
}

/** Pixels of a millimetre. */
export const PX = 96 / 25.4;

/** Millimetres between the margins of the page, and of one that is turned on its side. */
export const TEXT_WIDTH = 174;
export const SIDEWAYS_WIDTH = 257;

/** Pixels of a millimetre. */
export const PX = 96 / 25.4;

/** Millimetres between the margins of the page. */
export const TEXT_WIDTH = 174;

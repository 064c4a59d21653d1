/** The version of the product, as its packages have it. */
export const version = '0.1.0';

/** A day as people read it in a document: 30 November 2026. */
export const dayText = (date: Date): string => date.toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric' });

const ENTITIES: Record<string, string> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" };

/** Text as it stands in HTML and SVG, between tags and in attributes. */
export const escaped = (text: string): string => text.replace(/[&<>"']/g, (mark) => ENTITIES[mark]);

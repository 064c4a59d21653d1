const isJson = (text: string): boolean => {
  if (!/^\s*[[{]/.test(text)) return false;
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
};

/** Media type of a message over a WebSocket, which has none of its own: JSON where its text is an object or a list, else text. */
export const messageType = (format: 'text' | 'binary', text: string): string =>
  format === 'binary' ? 'application/octet-stream' : isJson(text) ? 'application/json' : 'text/plain';

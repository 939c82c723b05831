/** The parts of a text between separators: without spaces around them, empty ones left out. */
export const listed = (text: string, separator: string) =>
  text
    .split(separator)
    .map((part) => part.trim())
    .filter(Boolean);

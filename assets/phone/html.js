// A text as it may stand in a page.
export const escaped = (text) => new Option(text).innerHTML;

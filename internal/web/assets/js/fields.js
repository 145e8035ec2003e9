// What kinds of fields there are.

export const typing = (el) => el && (el.matches("input, textarea, select") || el.isContentEditable);
export const textual = (el) =>
  el &&
  el.matches &&
  el.matches("textarea, input:not([type=checkbox]):not([type=radio]):not([type=hidden]):not([type=file])");

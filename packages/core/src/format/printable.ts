/** What most texts hold none of. */
const suspicious = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\ud800-\udfff\ufffe\uffff]/;
/** No character of XML 1.0, or one without a shape: controls, half a pair of surrogates. */
const unprintable = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\ufffe\uffff]|\p{Surrogate}/gu;

/**
 * A text in which `□` replaces each character that no drawing, document, workbook or email can hold. It shows that something
 * was there, and is the same everywhere; our fonts have it.
 *
 * @see XML 1.0, section 2.2; Unicode, chapter 23
 */
export const printable = (text: string): string => (suspicious.test(text) ? text.replace(unprintable, '□') : text);

declare module 'svg-to-pdfkit' {
  /** Draws SVG into a pdfkit document at a place, in points. */
  export default function svgToPdf(
    doc: PDFKit.PDFDocument,
    svg: string,
    x: number,
    y: number,
    options: {
      width?: number;
      height?: number;
      assumePt?: boolean;
      fontCallback?: (family: string, bold: boolean, italic: boolean) => string;
    },
  ): void;
}

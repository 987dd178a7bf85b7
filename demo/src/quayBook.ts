import { strToU8, zipSync } from 'fflate';

/** The author's own rows: what stood in the workbook when it was prepared. None of them may reach anybody. */
const authorsRows = [
  ['2026-09-03', 'Ostle Quay – Brannoch', 'Corvane Light', 148, 31, 2.5, 1486.5],
  ['2026-09-04', 'Ostle Quay – Brannoch', 'Corvane Light', 97, 22, 14, 1012],
  ['2026-09-05', 'Ostle Quay – Sandlaw', 'Merle of Skerrow', 203, 40, 0.5, 2240.25],
] as const;
const headings = ['Sailed on', 'Route', 'Vessel', 'Passengers', 'Vehicles', 'Delay', 'Fares', 'Fare each', 'Remarks'];
const letters = 'ABCDEFGHI';
const lastRow = authorsRows.length + 3;

const head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const main = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"';
const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const r = `xmlns:r="${office}"`;
const packaged = 'http://schemas.openxmlformats.org/package/2006';
const spreadsheet = 'application/vnd.openxmlformats-officedocument.spreadsheetml';
/** One sheet of paper wide. */
const onePage = '<sheetPr><pageSetUpPr fitToPage="1"/></sheetPr>';
const landscape = '<pageSetup paperSize="9" orientation="landscape" fitToHeight="0"/>';
const drawing = 'http://schemas.openxmlformats.org/drawingml/2006';
const escape = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;');
const dayNumber = (date: string) => Date.parse(date) / 86_400_000 + 25_569;

/** Texts that cells share, each once. */
class Texts {
  readonly #known = new Map<string, number>();

  cell(at: string, text: string, style = 0): string {
    const index = this.#known.get(text) ?? this.#known.size;
    this.#known.set(text, index);
    return `<c r="${at}"${style ? ` s="${style}"` : ''} t="s"><v>${index}</v></c>`;
  }

  toXml(): string {
    const all = [...this.#known.keys()].map((one) => `<si><t xml:space="preserve">${escape(one)}</t></si>`);
    return `${head}<sst ${main} count="${all.length}" uniqueCount="${all.length}">${all.join('')}</sst>`;
  }
}

/** Styles: 0 plain, 1 heading, 2 title, 3 day, 4 whole number, 5 one place, 6 money, 7 share, 8 quiet. */
const styles =
  `${head}<styleSheet ${main}><numFmts count="3"><numFmt numFmtId="164" formatCode="yyyy\\-mm\\-dd"/><numFmt numFmtId="165" formatCode="#,##0.00"/><numFmt numFmtId="166" formatCode="0.0%"/></numFmts>` +
  '<fonts count="4"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><color rgb="FFFFFFFF"/><name val="Calibri"/></font><font><b/><sz val="18"/><color rgb="FF10262E"/><name val="Calibri"/></font><font><sz val="10"/><color rgb="FF55666D"/><name val="Calibri"/></font></fonts>' +
  '<fills count="3"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill><fill><patternFill patternType="solid"><fgColor rgb="FF1D5468"/></patternFill></fill></fills>' +
  '<borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs>' +
  `<cellXfs count="9">${[
    [0, 0, 0],
    [0, 1, 2],
    [0, 2, 0],
    [164, 0, 0],
    [3, 0, 0],
    [165, 0, 0],
    [165, 0, 0],
    [166, 0, 0],
    [0, 3, 0],
  ]
    .map(([format, font, fill]) => `<xf numFmtId="${format}" fontId="${font}" fillId="${fill}" borderId="0" xfId="0"/>`)
    .join('')}</cellXfs>` +
  '<cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles>' +
  '<dxfs count="1"><dxf><font><b/><color rgb="FFA8321F"/></font></dxf></dxfs><tableStyles count="0"/></styleSheet>';
const columnStyles = [3, 0, 0, 4, 4, 5, 6, 6, 0];

const computed =
  'IF(Sailings[[#This Row],[Passengers]]=0,0,Sailings[[#This Row],[Fares]]/Sailings[[#This Row],[Passengers]])';

function sailingsSheet(texts: Texts): string {
  const line = (row: number, cells: readonly string[]) => `<row r="${row}">${cells.join('')}</row>`;
  const body = authorsRows.map((cells, i) => {
    const row = i + 4;
    const written = cells.map((cell, c) => {
      const at = `${letters[c]}${row}`;
      if (c === 0) return `<c r="${at}" s="3"><v>${dayNumber(String(cell))}</v></c>`;
      return typeof cell === 'string' ? texts.cell(at, cell) : `<c r="${at}" s="${columnStyles[c]}"><v>${cell}</v></c>`;
    });
    const each = `<c r="H${row}" s="6"><f>${computed}</f><v>${Number(cells[6]) / Number(cells[3])}</v></c>`;
    return line(row, [...written, each]);
  });
  const sum = (at: string, name: string, value: number, style: number) =>
    `<c r="${at}${lastRow + 1}" s="${style}"><f>SUBTOTAL(109,Sailings[${name}])</f><v>${value}</v></c>`;
  const total = (index: number) => authorsRows.reduce((whole, row) => whole + Number(row[index]), 0);
  return (
    `${head}<worksheet ${main} ${r}>${onePage}<dimension ref="A1:I${lastRow + 1}"/><sheetViews><sheetView workbookViewId="0"><pane ySplit="3" topLeftCell="A4" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><sheetFormatPr defaultRowHeight="15"/>` +
    `<cols>${[12, 34, 22, 13, 11, 9, 13, 12, 30].map((width, i) => `<col min="${i + 1}" max="${i + 1}" width="${width}" customWidth="1"/>`).join('')}</cols>` +
    `<sheetData>${[
      line(1, [texts.cell('A1', 'Sailings of the month', 2)]),
      line(
        3,
        headings.map((one, i) => texts.cell(`${letters[i]}3`, one, 1)),
      ),
      ...body,
      line(lastRow + 1, [
        texts.cell(`A${lastRow + 1}`, 'Total'),
        sum('D', 'Passengers', total(3), 4),
        sum('E', 'Vehicles', total(4), 4),
        sum('G', 'Fares', total(6), 6),
      ]),
    ].join('')}</sheetData>` +
    `<conditionalFormatting sqref="F4:F${lastRow}"><cfRule type="cellIs" dxfId="0" priority="1" operator="greaterThan"><formula>10</formula></cfRule></conditionalFormatting>` +
    `${landscape}<tableParts count="1"><tablePart r:id="rId1"/></tableParts></worksheet>`
  );
}

function sailingsTable(): string {
  const sums: Record<string, string> = { Passengers: 'sum', Vehicles: 'sum', Fares: 'sum' };
  const columns = headings.map((name, i) => {
    const attributes = `id="${i + 1}" name="${name}"${i === 0 ? ' totalsRowLabel="Total"' : ''}${sums[name] ? ` totalsRowFunction="${sums[name]}"` : ''}`;
    return name === 'Fare each'
      ? `<tableColumn ${attributes}><calculatedColumnFormula>${computed}</calculatedColumnFormula></tableColumn>`
      : `<tableColumn ${attributes}/>`;
  });
  return (
    `${head}<table ${main} id="1" name="Sailings" displayName="Sailings" ref="A3:I${lastRow + 1}" totalsRowCount="1"><autoFilter ref="A3:I${lastRow}"/>` +
    `<tableColumns count="${headings.length}">${columns.join('')}</tableColumns><tableStyleInfo name="TableStyleLight1" showRowStripes="1"/></table>`
  );
}

/** What the overview says about the rows, whichever they are. */
const facts: readonly [string, string, number, number][] = [
  ['Sailings', 'ROWS(Sailings[Route])', 3, 4],
  ['Passengers', 'SUM(Sailings[Passengers])', 448, 4],
  ['Vehicles', 'SUM(Sailings[Vehicles])', 93, 4],
  ['Fares', 'SUM(Sailings[Fares])', 4738.75, 6],
  ['More than 10 minutes late', 'COUNTIF(Sailings[Delay],">10")/ROWS(Sailings[Delay])', 1 / 3, 7],
];

function overviewSheet(texts: Texts): string {
  const rows = facts.map(
    ([label, formula, value, style], i) =>
      `<row r="${i + 4}">${texts.cell(`A${i + 4}`, label)}<c r="B${i + 4}" s="${style}"><f>${escape(formula)}</f><v>${value}</v></c></row>`,
  );
  return (
    `${head}<worksheet ${main} ${r}>${onePage}<sheetViews><sheetView showGridLines="0" tabSelected="1" workbookViewId="0"/></sheetViews><sheetFormatPr defaultRowHeight="15"/><cols><col min="1" max="1" width="28" customWidth="1"/><col min="2" max="2" width="14" customWidth="1"/></cols>` +
    `<sheetData><row r="1">${texts.cell('A1', 'Quay workbook', 2)}</row><row r="2">${texts.cell('A2', 'Everything here follows the sheet “Sailings”. Remarks are for you to write.', 8)}</row>${rows.join('')}</sheetData>${landscape}<drawing r:id="rId1"/></worksheet>`
  );
}

/** Days of the month, each with its sums: what the chart is drawn from. */
function daysSheet(texts: Texts): string {
  const first = 'MIN(Sailings[Sailed on])';
  const rows = Array.from({ length: 31 }, (_, i) => {
    const row = i + 2;
    return `<row r="${row}"><c r="A${row}" s="4"><v>${i + 1}</v></c><c r="B${row}" s="4"><f>SUMIFS(Sailings[Passengers],Sailings[Sailed on],DATE(YEAR(${first}),MONTH(${first}),A${row}))</f><v>${[148, 97, 203][i - 2] ?? 0}</v></c></row>`;
  });
  return `${head}<worksheet ${main}><sheetFormatPr defaultRowHeight="15"/><sheetData><row r="1">${texts.cell('A1', 'Day', 1)}${texts.cell('B1', 'Passengers', 1)}</row>${rows.join('')}</sheetData></worksheet>`;
}

function routesSheet(texts: Texts): string {
  const routes: [string, number][] = [
    ['Ostle Quay – Brannoch', 245],
    ['Ostle Quay – Sandlaw', 203],
  ];
  const lines = [...routes, ['All routes', 448] as [string, number]].map(
    ([name, sum], i) =>
      `<row r="${i + 4}">${texts.cell(`A${i + 4}`, name)}<c r="B${i + 4}" s="4"><v>${sum}</v></c></row>`,
  );
  return (
    `${head}<worksheet ${main}><sheetFormatPr defaultRowHeight="15"/><cols><col min="1" max="1" width="34" customWidth="1"/><col min="2" max="2" width="14" customWidth="1"/></cols>` +
    `<sheetData><row r="1">${texts.cell('A1', 'Passengers by route', 2)}</row><row r="3">${texts.cell('A3', 'Route')}${texts.cell('B3', 'Passengers on it')}</row>${lines.join('')}</sheetData></worksheet>`
  );
}

const cacheSource = `<cacheSource type="worksheet"><worksheetSource name="Sailings"/></cacheSource>`;

function pivotCache(): string {
  const fields = headings.map((name, i) => {
    const values = [...new Set(authorsRows.map((row) => row[i]))].filter((one) => one !== undefined);
    const items = values.map((one) =>
      typeof one === 'number' ? `<n v="${one}"/>` : i === 0 ? `<d v="${one}T00:00:00"/>` : `<s v="${escape(one)}"/>`,
    );
    return `<cacheField name="${name}" numFmtId="0"><sharedItems count="${items.length}">${items.join('')}</sharedItems></cacheField>`;
  });
  return `${head}<pivotCacheDefinition ${main} ${r} r:id="rId1" refreshedBy="Mara Venn" refreshedDate="46300" createdVersion="6" refreshedVersion="6" minRefreshableVersion="3" recordCount="${authorsRows.length}">${cacheSource}<cacheFields count="${fields.length}">${fields.join('')}</cacheFields></pivotCacheDefinition>`;
}

function pivotRecords(): string {
  const records = authorsRows.map(
    (row) =>
      `<r>${row.map((one, i) => (typeof one === 'number' ? `<n v="${one}"/>` : i === 0 ? `<d v="${one}T00:00:00"/>` : `<s v="${escape(one)}"/>`)).join('')}<n v="1"/><m/></r>`,
  );
  return `${head}<pivotCacheRecords ${main} count="${records.length}">${records.join('')}</pivotCacheRecords>`;
}

function pivotTable(): string {
  const fields = headings.map((_, i) => {
    if (i === 1)
      return '<pivotField axis="axisRow" showAll="0"><items count="3"><item x="0"/><item x="1"/><item t="default"/></items></pivotField>';
    return i === 3 ? '<pivotField dataField="1" showAll="0"/>' : '<pivotField showAll="0"/>';
  });
  return (
    `${head}<pivotTableDefinition ${main} grandTotalCaption="All routes" name="Routes" cacheId="1" dataOnRows="0" applyNumberFormats="0" applyBorderFormats="0" applyFontFormats="0" applyPatternFormats="0" applyAlignmentFormats="0" applyWidthHeightFormats="1" dataCaption="Values" updatedVersion="6" minRefreshableVersion="3" createdVersion="6" outline="1" outlineData="1">` +
    `<location ref="A3:B6" firstHeaderRow="1" firstDataRow="1" firstDataCol="1"/><pivotFields count="${fields.length}">${fields.join('')}</pivotFields>` +
    '<rowFields count="1"><field x="1"/></rowFields><rowItems count="3"><i><x/></i><i><x v="1"/></i><i t="grand"><x/></i></rowItems><colItems count="1"><i/></colItems>' +
    '<dataFields count="1"><dataField name="Passengers on it" fld="3" baseField="0" baseItem="0" numFmtId="3"/></dataFields><pivotTableStyleInfo name="PivotStyleLight16" showRowHeaders="1" showColHeaders="1"/></pivotTableDefinition>'
  );
}

function chart(): string {
  const points = (values: readonly (string | number)[]) =>
    `<c:ptCount val="${values.length}"/>${values.map((one, i) => `<c:pt idx="${i}"><c:v>${one}</c:v></c:pt>`).join('')}`;
  const days = Array.from({ length: 31 }, (_, i) => i + 1);
  return (
    `${head}<c:chartSpace xmlns:c="${drawing}/chart" xmlns:a="${drawing}/main" ${r}><c:chart><c:title><c:tx><c:rich><a:bodyPr/><a:p><a:r><a:rPr lang="en-GB" sz="1200"/><a:t>Passengers by day</a:t></a:r></a:p></c:rich></c:tx><c:overlay val="0"/></c:title><c:autoTitleDeleted val="0"/><c:plotArea><c:layout/><c:barChart><c:barDir val="col"/><c:grouping val="clustered"/><c:varyColors val="0"/>` +
    `<c:ser><c:idx val="0"/><c:order val="0"/><c:spPr><a:solidFill><a:srgbClr val="1D5468"/></a:solidFill></c:spPr><c:cat><c:numRef><c:f>'By day'!$A$2:$A$32</c:f><c:numCache><c:formatCode>0</c:formatCode>${points(days)}</c:numCache></c:numRef></c:cat>` +
    `<c:val><c:numRef><c:f>'By day'!$B$2:$B$32</c:f><c:numCache><c:formatCode>0</c:formatCode>${points(days.map((day) => [148, 97, 203][day - 3] ?? 0))}</c:numCache></c:numRef></c:val></c:ser>` +
    '<c:gapWidth val="40"/><c:axId val="11"/><c:axId val="12"/></c:barChart><c:catAx><c:axId val="11"/><c:scaling><c:orientation val="minMax"/></c:scaling><c:delete val="0"/><c:axPos val="b"/><c:crossAx val="12"/></c:catAx><c:valAx><c:axId val="12"/><c:scaling><c:orientation val="minMax"/></c:scaling><c:delete val="0"/><c:axPos val="l"/><c:crossAx val="11"/></c:valAx></c:plotArea><c:plotVisOnly val="1"/></c:chart></c:chartSpace>'
  );
}

const drawingPart =
  `${head}<xdr:wsDr xmlns:xdr="${drawing}/spreadsheetDrawing" xmlns:a="${drawing}/main"><xdr:twoCellAnchor><xdr:from><xdr:col>3</xdr:col><xdr:colOff>0</xdr:colOff><xdr:row>2</xdr:row><xdr:rowOff>0</xdr:rowOff></xdr:from><xdr:to><xdr:col>13</xdr:col><xdr:colOff>0</xdr:colOff><xdr:row>20</xdr:row><xdr:rowOff>0</xdr:rowOff></xdr:to>` +
  `<xdr:graphicFrame macro=""><xdr:nvGraphicFramePr><xdr:cNvPr id="2" name="Passengers by day" descr="Columns: passengers on each day of the month"/><xdr:cNvGraphicFramePr/></xdr:nvGraphicFramePr><xdr:xfrm><a:off x="0" y="0"/><a:ext cx="0" cy="0"/></xdr:xfrm><a:graphic><a:graphicData uri="${drawing}/chart"><c:chart xmlns:c="${drawing}/chart" ${r} r:id="rId1"/></a:graphicData></a:graphic></xdr:graphicFrame><xdr:clientData/></xdr:twoCellAnchor></xdr:wsDr>`;

const relations = (...all: readonly (readonly [kind: string, target: string])[]) =>
  `${head}<Relationships xmlns="${packaged}/relationships">${all.map(([kind, target], i) => `<Relationship Id="rId${i + 1}" Type="${kind.startsWith('http') ? kind : `${office}/${kind}`}" Target="${target}"/>`).join('')}</Relationships>`;

const types: readonly (readonly [part: string, type: string])[] = [
  ['xl/workbook.xml', `${spreadsheet}.sheet.main+xml`],
  ...[1, 2, 3, 4].map((one) => [`xl/worksheets/sheet${one}.xml`, `${spreadsheet}.worksheet+xml`] as const),
  ['xl/tables/table1.xml', `${spreadsheet}.table+xml`],
  ['xl/styles.xml', `${spreadsheet}.styles+xml`],
  ['xl/sharedStrings.xml', `${spreadsheet}.sharedStrings+xml`],
  ['xl/pivotCache/pivotCacheDefinition1.xml', `${spreadsheet}.pivotCacheDefinition+xml`],
  ['xl/pivotCache/pivotCacheRecords1.xml', `${spreadsheet}.pivotCacheRecords+xml`],
  ['xl/pivotTables/pivotTable1.xml', `${spreadsheet}.pivotTable+xml`],
  ['xl/drawings/drawing1.xml', 'application/vnd.openxmlformats-officedocument.drawing+xml'],
  ['xl/charts/chart1.xml', 'application/vnd.openxmlformats-officedocument.drawingml.chart+xml'],
  ['docProps/core.xml', 'application/vnd.openxmlformats-package.core-properties+xml'],
];

/**
 * The parts of the workbook that a quay manager gets: an overview with a chart, the sailings in a table with sums and a
 * calculated column, a pivot table, and the author's rows all over it, as in any workbook that somebody has worked in.
 */
export function quayBookParts(): Record<string, string> {
  const texts = new Texts();
  const sheets = [overviewSheet(texts), sailingsSheet(texts), routesSheet(texts), daysSheet(texts)];
  return {
    '[Content_Types].xml': `${head}<Types xmlns="${packaged}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>${types.map(([part, type]) => `<Override PartName="/${part}" ContentType="${type}"/>`).join('')}</Types>`,
    '_rels/.rels': relations(
      ['officeDocument', 'xl/workbook.xml'],
      [`${packaged}/relationships/metadata/core-properties`, 'docProps/core.xml'],
    ),
    'docProps/core.xml': `${head}<cp:coreProperties xmlns:cp="${packaged}/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:creator>Mara Venn</dc:creator></cp:coreProperties>`,
    'xl/workbook.xml': `${head}<workbook ${main} ${r}><sheets>${['Overview', 'Sailings', 'By route', 'By day'].map((name, i) => `<sheet name="${name}" sheetId="${i + 1}" r:id="rId${i + 1}"/>`).join('')}</sheets><definedNames><definedName name="Delays">Sailings!$F$4:$F$${lastRow}</definedName></definedNames><pivotCaches><pivotCache cacheId="1" r:id="rId7"/></pivotCaches></workbook>`,
    'xl/_rels/workbook.xml.rels': relations(
      ...[1, 2, 3, 4].map((one) => ['worksheet', `worksheets/sheet${one}.xml`] as const),
      ['styles', 'styles.xml'],
      ['sharedStrings', 'sharedStrings.xml'],
      ['pivotCacheDefinition', 'pivotCache/pivotCacheDefinition1.xml'],
    ),
    'xl/styles.xml': styles,
    ...Object.fromEntries(sheets.map((sheet, i) => [`xl/worksheets/sheet${i + 1}.xml`, sheet])),
    'xl/sharedStrings.xml': texts.toXml(),
    'xl/worksheets/_rels/sheet1.xml.rels': relations(['drawing', '../drawings/drawing1.xml']),
    'xl/worksheets/_rels/sheet2.xml.rels': relations(['table', '../tables/table1.xml']),
    'xl/worksheets/_rels/sheet3.xml.rels': relations(['pivotTable', '../pivotTables/pivotTable1.xml']),
    'xl/tables/table1.xml': sailingsTable(),
    'xl/pivotCache/pivotCacheDefinition1.xml': pivotCache(),
    'xl/pivotCache/_rels/pivotCacheDefinition1.xml.rels': relations(['pivotCacheRecords', 'pivotCacheRecords1.xml']),
    'xl/pivotCache/pivotCacheRecords1.xml': pivotRecords(),
    'xl/pivotTables/pivotTable1.xml': pivotTable(),
    'xl/pivotTables/_rels/pivotTable1.xml.rels': relations([
      'pivotCacheDefinition',
      '../pivotCache/pivotCacheDefinition1.xml',
    ]),
    'xl/drawings/drawing1.xml': drawingPart,
    'xl/drawings/_rels/drawing1.xml.rels': relations(['chart', '../charts/chart1.xml']),
    'xl/charts/chart1.xml': chart(),
  };
}

/** Packs a workbook's parts. */
export function packBook(parts: Readonly<Record<string, string>>): Buffer {
  const bytes = Object.fromEntries(Object.entries(parts).map(([name, text]) => [name, strToU8(text)]));
  return Buffer.from(zipSync(bytes, { mtime: '1980-01-02T00:00:00' }));
}

import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { packBook, quayBookParts } from '../../../../demo/src/quayBook.ts';
import {
  fillWorkbook,
  fitTemplate,
  LeakScanner,
  readTemplate,
  type OfferedColumn,
  type TemplateTarget,
} from '../../src/workbook/index.ts';
import { refused } from '../refused.ts';
import { sheetsInOffice } from './office.ts';

const columns: readonly OfferedColumn[] = [
  { name: 'quay_id', label: 'Quay', type: 'text' },
  { name: 'sailed_on', label: 'Sailed on', type: 'date' },
  { name: 'route_name', label: 'Route', type: 'text' },
  { name: 'vessel', type: 'text' },
  { name: 'passengers', type: 'number' },
  { name: 'vehicles', type: 'number' },
  { name: 'delay_minutes', label: 'Delay', unit: 'min', type: 'number' },
  { name: 'fares', label: 'Fares', unit: '€', type: 'number' },
];
const rows = Array.from({ length: 40 }, (_, i) => [
  'Q017',
  `2026-10-${String((i % 20) + 1).padStart(2, '0')}`,
  i % 4 === 0 ? 'Hollin – Rindle' : 'Hollin & <Strand>',
  `Vessel ${i % 3}`,
  100 + i,
  i % 7,
  i % 13,
  10.5 * i,
]);

type Parts = Record<string, string>;
const table: TemplateTarget = { table: 'Sailings' };
function fill(parts: Parts, target: TemplateTarget = table, filled = rows) {
  const template = readTemplate(packBook(parts), target);
  const bytes = fillWorkbook(template, fitTemplate(template, columns), columns, filled);
  return { template, bytes, parts: textsOf(bytes) };
}
const textsOf = (bytes: Uint8Array): Parts =>
  Object.fromEntries(Object.entries(unzipSync(bytes)).map(([name, part]) => [name, strFromU8(part)]));
/** A prepared workbook with some parts changed; a change must find what it changes. */
function changed(changes: Readonly<Record<string, (text: string) => string>>, added: Parts = {}): Parts {
  const parts = { ...quayBookParts(), ...added };
  for (const [name, change] of Object.entries(changes)) {
    const text = change(parts[name]!);
    assert.notEqual(text, parts[name], `nothing changed in ${name}`);
    parts[name] = text;
  }
  return parts;
}

describe('fillWorkbook', () => {
  const { parts, template } = fill(quayBookParts());
  const sheet = parts['xl/worksheets/sheet2.xml']!;

  it('puts the rows under their headings, typed and looking as the first row did', () => {
    assert.match(sheet, /<row r="4"><c r="A4" s="3"><v>46296<\/v><\/c><c r="B4" t="inlineStr">/);
    assert.match(sheet, /<c r="D43" s="4"><v>139<\/v><\/c>/);
    assert.match(sheet, /Hollin &amp; &lt;Strand&gt;/);
    assert.equal(sheet.match(/<row /g)!.length, 2 + 40 + 1);
  });

  it('computes what the table computes in every row, and keeps the results of nobody', () => {
    assert.equal(sheet.match(/<f>IF\(Sailings\[\[#This Row\]/g)!.length, 40);
    for (const [name, text] of Object.entries(parts))
      if (name.startsWith('xl/worksheets/')) assert.doesNotMatch(text, /<\/f><v>/, name);
    assert.match(parts['xl/workbook.xml']!, /<calcPr fullCalcOnLoad="1"\/>/);
  });

  it('grows the table, its sums, conditional formats, names and charts with the rows', () => {
    assert.match(parts['xl/tables/table1.xml']!, /ref="A3:I44" totalsRowCount="1"><autoFilter ref="A3:I43"\/>/);
    assert.match(sheet, /<row r="44"><c r="A44" t="s">/);
    assert.match(sheet, /sqref="F4:F43"/);
    assert.match(parts['xl/workbook.xml']!, />Sailings!\$F\$4:\$F\$43</);
    const charted = changed({
      'xl/charts/chart1.xml': (text) => text.replaceAll("'By day'!$B$2:$B$32", 'Sailings!$D$4:$D$6'),
    });
    assert.match(fill(charted).parts['xl/charts/chart1.xml']!, /<c:f>Sailings!\$D\$4:\$D\$43<\/c:f>/);
    const ranged = changed({
      'xl/pivotCache/pivotCacheDefinition1.xml': (text) =>
        text.replace('<worksheetSource name="Sailings"/>', '<worksheetSource ref="A3:I6" sheet="Sailings"/>'),
    });
    assert.match(fill(ranged).parts['xl/pivotCache/pivotCacheDefinition1.xml']!, /ref="A3:I43"/);
  });

  it('keeps every other part to the byte', () => {
    const before = quayBookParts();
    const kept = ['xl/styles.xml', 'xl/drawings/drawing1.xml', 'xl/drawings/_rels/drawing1.xml.rels', '_rels/.rels'];
    for (const name of kept) assert.equal(parts[name], before[name], name);
    const gone = Object.keys(before).filter((name) => parts[name] === undefined);
    assert.deepEqual(gone.sort(), [
      'xl/pivotCache/_rels/pivotCacheDefinition1.xml.rels',
      'xl/pivotCache/pivotCacheRecords1.xml',
    ]);
    assert.deepEqual(template.warnings, []);
  });

  it('takes a workbook that was packed with its folders', () => {
    const folders = Object.fromEntries(
      [...new Set(Object.keys(quayBookParts()).flatMap((name) => name.match(/^.*\//) ?? []))].map((one) => [one, '']),
    );
    assert.ok(Object.keys(folders).length > 3, 'some folders');
    const packed = fill({ ...folders, ...quayBookParts(), 'xl/': '', 'docProps/': '' });
    assert.deepEqual(packed.bytes, fill(quayBookParts()).bytes);
  });

  it('gives equal bytes for equal input', () => {
    assert.deepEqual(fill(quayBookParts()).bytes, fill(quayBookParts()).bytes);
  });

  it('says what fits: filled, computed, left for people, without a place', () => {
    const fit = fitTemplate(template, columns);
    assert.deepEqual(
      [...fit.filled.keys()].map((one) => one.heading).join(),
      'Sailed on,Route,Vessel,Passengers,Vehicles,Delay,Fares',
    );
    assert.deepEqual([fit.computed, fit.left, fit.unused], [['Fare each'], ['Remarks'], ['Quay']]);
    const error = refused('TEMPLATE_INVALID', () =>
      fitTemplate(
        template,
        columns.filter((one) => one.name !== 'vessel'),
      ),
    );
    assert.match(error.message, /“Vessel”/);
  });

  it('fills a sheet without a table as well', () => {
    const plain = changed(
      {
        'xl/worksheets/sheet2.xml': (text) =>
          text
            .replace(/<row r="7">.*?<\/row>/, '')
            .replace(/<tableParts.*<\/tableParts>/, '')
            .replace(/<row r="1">.*?<\/row>/, ''),
        'xl/worksheets/sheet1.xml': (text) =>
          text.replace(/<f>[^<]*Sailings\[Passengers\]\)<\/f>/, '<f>SUM(Sailings!D4:D6)</f>'),
        'xl/pivotCache/pivotCacheDefinition1.xml': (text) =>
          text.replace('<worksheetSource name="Sailings"/>', '<worksheetSource ref="A3:I6" sheet="Sailings"/>'),
      },
      {},
    );
    delete plain['xl/tables/table1.xml'];
    delete plain['xl/worksheets/_rels/sheet2.xml.rels'];
    const done = fill(plain, { sheet: 'sailings' });
    assert.match(done.parts['xl/worksheets/sheet1.xml']!, /<f>SUM\(Sailings!D4:D43\)<\/f>/);
    assert.equal(done.parts['xl/worksheets/sheet2.xml']!.match(/<row /g)!.length, 41);
  });
});

describe('the author’s rows', () => {
  const planted = 'Planted Q777';
  const si = `<si><t>${planted}</t></si></sst>`;
  const everyText = 1 + quayBookParts()['xl/sharedStrings.xml']!.match(/<si>/g)!.length;
  /** A place for the planted value, and how it gets there. */
  const everywhere = changed(
    {
      'xl/sharedStrings.xml': (text) => text.replace('</sst>', si),
      // A row of data that uses the shared text, a title computed from it, and a filter set to it.
      'xl/worksheets/sheet2.xml': (text) =>
        text
          .replace(/<c r="C5" t="s"><v>\d+/, () => `<c r="C5" t="s"><v>${everyText - 1}`)
          .replace(
            '</sheetData>',
            `</sheetData><hyperlinks><hyperlink ref="B5" location="x" display="${planted}"/></hyperlinks>`,
          ),
      'xl/worksheets/sheet1.xml': (text) =>
        text.replace(
          '<row r="4">',
          `<row r="3"><c r="A3" t="str"><f>Sailings!C5</f><v>${planted}</v></c></row><row r="4">`,
        ),
      'xl/worksheets/sheet3.xml': (text) =>
        text.replace(/<c r="A4" t="s"><v>\d+<\/v>/, `<c r="A4" t="inlineStr"><is><t>${planted}</t></is>`),
      'xl/tables/table1.xml': (text) =>
        text.replace(
          '<autoFilter ref="A3:I6"/>',
          `<autoFilter ref="A3:I6"><filterColumn colId="2"><filters><filter val="${planted}"/></filters></filterColumn></autoFilter>`,
        ),
      'xl/pivotCache/pivotCacheDefinition1.xml': (text) =>
        text.replace('<s v="Corvane Light"/>', `<s v="${planted}"/>`),
      'xl/pivotCache/pivotCacheRecords1.xml': (text) => text.replace('Corvane Light', planted),
      'xl/charts/chart1.xml': (text) =>
        text.replace(
          '<c:cat>',
          `<c:tx><c:strRef><c:f>Sailings!$C$5</c:f><c:strCache><c:ptCount val="1"/><c:pt idx="0"><c:v>${planted}</c:v></c:pt></c:strCache></c:strRef></c:tx><c:cat>`,
        ),
      'docProps/core.xml': (text) => text.replace('Mara Venn', planted),
      'xl/workbook.xml': (text) =>
        text.replace(
          '<sheets>',
          `<mc:AlternateContent xmlns:mc="m"><mc:Choice Requires="x15"><x15ac:absPath xmlns:x15ac="a" url="C:\\${planted}\\"/></mc:Choice></mc:AlternateContent><sheets>`,
        ),
    },
    {
      'docProps/app.xml': `<Properties><Manager>${planted}</Manager><Company>${planted}</Company></Properties>`,
      'docProps/custom.xml': `<Properties><property name="quay"><vt:lpwstr xmlns:vt="v">${planted}</vt:lpwstr></property></Properties>`,
      'docProps/thumbnail.jpeg': `…${planted}…`,
      'xl/calcChain.xml': '<calcChain/>',
    },
  );
  const scanner = () => new LeakScanner([planted, 'Q777', 'Q017']);

  it('stand in every place that is known to keep them, before it is filled', () => {
    const template = readTemplate(packBook(everywhere), table);
    const found = scanner().scan(packBook(everywhere), template, ['Q017'], 0);
    const places = new Set(found.filter((one) => one.value === planted).map((one) => one.part));
    assert.deepEqual([...places].sort(), [
      'docProps/app.xml',
      'docProps/core.xml',
      'docProps/custom.xml',
      'docProps/thumbnail.jpeg',
      'xl/charts/chart1.xml',
      'xl/pivotCache/pivotCacheDefinition1.xml',
      'xl/pivotCache/pivotCacheRecords1.xml',
      'xl/sharedStrings.xml',
      'xl/tables/table1.xml',
      'xl/workbook.xml',
      'xl/worksheets/sheet1.xml',
      'xl/worksheets/sheet2.xml',
      'xl/worksheets/sheet3.xml',
    ]);
  });

  it('are in no part of what is sent', () => {
    const { bytes, template } = fill(everywhere);
    assert.deepEqual(scanner().scan(bytes, template, ['Q017'], rows.length), []);
    for (const [name, text] of Object.entries(textsOf(bytes))) assert.doesNotMatch(text, /Q777|Mara Venn|Corran/, name);
  });

  it('are found by the scan where the author wrote them down: the file does not leave', () => {
    const cases: Record<string, Parts> = {
      'a cell of another sheet': changed({
        'xl/worksheets/sheet4.xml': (text) =>
          text.replace(
            '</sheetData>',
            '<row r="40"><c r="A40" t="inlineStr"><is><t>as in Q777</t></is></c></row></sheetData>',
          ),
      }),
      'a formula': changed({
        'xl/worksheets/sheet1.xml': (text) => text.replace('ROWS(Sailings[Route])', 'COUNTIF(Sailings[Route],"q777")'),
      }),
      'the name of a sheet': changed({ 'xl/workbook.xml': (text) => text.replace('name="By day"', 'name="Q777"') }),
      'written as numbers of letters': changed({
        'xl/worksheets/sheet1.xml': (text) =>
          text.replace(
            '</sheetData>',
            '<row r="30"><c r="A30" t="inlineStr"><is><t>&#81;777</t></is></c></row></sheetData>',
          ),
      }),
      'parted by its looks': changed({
        'xl/worksheets/sheet1.xml': (text) =>
          text.replace(
            '</sheetData>',
            '<row r="30"><c r="A30" t="inlineStr"><is><r><t>Q7</t></r><r><rPr><b/></rPr><t>77</t></r></is></c></row></sheetData>',
          ),
      }),
    };
    for (const [name, parts] of Object.entries(cases)) {
      const { bytes, template } = fill(parts);
      const found = scanner().scan(bytes, template, ['Q017'], rows.length);
      assert.ok(
        found.some((one) => one.value === 'Q777'),
        name,
      );
      // To the one whose value it is, it may go.
      assert.deepEqual(scanner().scan(bytes, template, ['Q777', planted, 'Q017'], rows.length), [], name);
    }
  });

  it('are told from chance where a value is short or a number', () => {
    const { bytes, template } = fill(quayBookParts());
    assert.deepEqual(new LeakScanner(['7', 'A', '46296']).scan(bytes, template, [], rows.length), []);
    const short = changed({
      'xl/worksheets/sheet1.xml': (text) =>
        text.replace('</sheetData>', '<row r="30"><c r="A30" t="inlineStr"><is><t>7</t></is></c></row></sheetData>'),
    });
    const found = fill(short);
    assert.equal(new LeakScanner(['7', 'A']).scan(found.bytes, found.template, [], rows.length).length, 1);
  });
});

describe('readTemplate refuses', () => {
  const refusedBook = (parts: Parts, target: TemplateTarget = table) =>
    refused('TEMPLATE_INVALID', () => readTemplate(packBook(parts), target));
  const withPart = (name: string, text = 'x') => ({ ...quayBookParts(), [name]: text });

  it('what could hold rows where nobody finds them', () => {
    const cases: Record<string, RegExp> = {
      'xl/vbaProject.bin': /macros/,
      'xl/externalLinks/externalLink1.xml': /links to other workbooks/,
      'xl/slicerCaches/slicerCache1.xml': /filter buttons/,
      'xl/model/item.data': /data model/,
      'xl/embeddings/oleObject1.bin': /embedded/,
      'xl/revisions/revisionHeaders.xml': /history/,
      'customXml/item1.xml': /unknown part/,
    };
    for (const [name, message] of Object.entries(cases))
      assert.match(refusedBook(withPart(name)).message, message, name);
    const macro = changed({
      '[Content_Types].xml': (text) => text.replace('sheet.main+xml', 'sheet.macroEnabled.main+xml'),
    });
    assert.match(refusedBook(macro).message, /macros/);
    const grouped = changed({
      'xl/pivotCache/pivotCacheDefinition1.xml': (text) =>
        text.replace('</cacheField>', '<fieldGroup><rangePr groupBy="months"/></fieldGroup></cacheField>'),
    });
    assert.match(refusedBook(grouped).message, /groups the values of “Sailed on”/);
  });

  it('what would be in the way of the rows', () => {
    const sheet = (change: (text: string) => string) => changed({ 'xl/worksheets/sheet2.xml': change });
    const below = sheet((text) =>
      text.replace('</sheetData>', '<row r="20"><c r="B20"><v>1</v></c></row></sheetData>'),
    );
    assert.match(refusedBook(below).message, /B20 on sheet “Sailings” is below the data/);
    const beside = sheet((text) => text.replace('<row r="5">', '<row r="5"><c r="L5"><v>1</v></c>'));
    assert.match(refusedBook(beside).message, /L5.*next to the data/);
    const joined = sheet((text) =>
      text.replace('<conditionalFormatting', '<mergeCells><mergeCell ref="A4:B4"/></mergeCells><conditionalFormatting'),
    );
    assert.match(refusedBook(joined).message, /Merged cells in the data: A4:B4/);
  });

  it('a table or sheet that is not there, naming the nearest', () => {
    assert.equal(refusedBook(quayBookParts(), { table: 'Sailing' }).details.nearest?.[0], 'Sailings');
    assert.match(refusedBook(quayBookParts(), { sheet: 'Sailings' }).details.hint ?? '', /Specify the table: Sailings/);
    assert.equal(refusedBook(quayBookParts(), { sheet: 'By rout' }).details.nearest?.[0], 'By route');
  });

  it('files that are no workbook, are broken or unpack beyond bounds', () => {
    refused('FILE_MALFORMED', () => readTemplate(strToU8('not a zip'), table));
    refused('FILE_MALFORMED', () =>
      readTemplate(packBook({ ...quayBookParts(), 'xl/workbook.xml': '<workbook' }), table),
    );
    const entity = { ...quayBookParts(), 'xl/workbook.xml': '<!DOCTYPE x [<!ENTITY a "b">]><workbook/>' };
    refused('FILE_MALFORMED', () => readTemplate(packBook(entity), table));
    refused('INPUT_TOO_LARGE', () =>
      readTemplate(zipSync({ 'xl/a.xml': new Uint8Array(90_000_000) }, { level: 9 }), table),
    );
  });
});

describe('a filled workbook in a spreadsheet program', () => {
  it('opens, computes from the rows and refreshes its pivot table', { timeout: 120_000 }, () => {
    const sheets = sheetsInOffice(fill(quayBookParts()).bytes);
    assert.deepEqual(Object.keys(sheets).sort(), ['By day', 'By route', 'Overview', 'Sailings']);
    const passengers = rows.reduce((sum, row) => sum + Number(row[4]), 0);
    assert.match(sheets['Overview']!, new RegExp(`Passengers,${passengers}`));
    assert.match(sheets['Sailings']!, new RegExp(`Total,,,${passengers}`));
    assert.match(sheets['By route']!, /Hollin & <Strand>,3600/);
    assert.match(sheets['By day']!, /^20,258$/m);
    assert.doesNotMatch(Object.values(sheets).join(), /Ostle|#REF|#NAME|#VALUE/);
  });
});

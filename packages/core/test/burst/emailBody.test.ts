import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { writeLetter } from '../../src/burst/index.ts';

const page = {
  contentId: 'page@under-bell',
  numbers: {
    title: 'Quay <punctuality>',
    page: 'Overview',
    limits: ['month is October 2026', 'quay is "Q017"'],
    numbers: [
      { title: 'Departed on time', value: '80.7 %', beside: 'Sailings 3,971' },
      { title: 'Mean delay', value: '2.6 min' },
    ],
  },
};
const link = { address: 'https://reports.example/console/reports/quay?a=1&b=2', words: 'Open “Quay punctuality”' };

describe('writeLetter', () => {
  const { text, html } = writeLetter({
    message: 'Hello <b>Mara</b> & all,\n\nsee https://intranet.example/quays?a=1&b=2.\nBye\n',
    page,
    link,
    unsubscribe: 'https://reports.example/u/1.abc',
  });

  it('says the numbers in words for whoever sees no pictures', () => {
    assert.match(text, /Departed on time: 80\.7 % \(Sailings 3,971\)\nMean delay: 2\.6 min/);
    assert.match(text, /month is October 2026 · quay is "Q017"/);
    assert.match(text, /Unsubscribe: https:\/\/reports\.example\/u\/1\.abc\n$/);
    assert.match(
      html,
      /alt="Quay &lt;punctuality&gt;, Overview: Departed on time: 80\.7 % \(Sailings 3,971\); Mean delay/,
    );
  });

  it('shows the picture by its content id and lets nothing of a value become markup', () => {
    assert.match(html, /<img src="cid:page@under-bell"/);
    assert.ok(!html.includes('<b>Mara'), 'what the sender wrote is text');
    assert.match(html, /Hello &lt;b&gt;Mara&lt;\/b&gt; &amp; all,/);
    assert.match(html, /<a href="https:\/\/intranet\.example\/quays\?a=1&amp;b=2">/);
    assert.match(html, /href="https:\/\/reports\.example\/console\/reports\/quay\?a=1&amp;b=2"/);
  });

  it('leaves out what there is not', () => {
    const plain = writeLetter({ message: 'Hello', link });
    assert.ok(!/<img|no more/i.test(plain.html), plain.html);
    assert.equal(plain.text, `Hello\n\n${link.words}: ${link.address}\n`);
  });
});

/** Text made safe for HTML, attributes included. */
export function escapeHtml(text: string): string {
  return text.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`);
}

/** A page of a stand-in, in a plain look of its own. */
export function page(title: string, body: string, accent: string): string {
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title>
<style>
  body { font: 16px/1.5 'Source Sans 3', system-ui, sans-serif; margin: 0; background: #f4f5f3; color: #1c2a2f; }
  header { background: ${accent}; color: #fff; padding: .8rem 1.5rem; display: flex; gap: 1.5rem; align-items: baseline; }
  header a { color: #fff; } header b { font-size: 1.15rem; }
  main { max-width: 76rem; margin: 1.2rem auto; padding: 0 1.5rem; }
  table { border-collapse: collapse; width: 100%; background: #fff; } th, td { text-align: left; padding: .4rem .7rem; border-bottom: 1px solid #dfe3e1; }
  th { font-weight: 600; color: #54656b; font-size: .9rem; } td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; }
  .editor input, .editor textarea { font: inherit; width: 100%; box-sizing: border-box; display: block; padding: .4rem .6rem; } .editor button { font: inherit; padding: .3rem 1rem; }
  a { color: #1d5468; } pre { background: #fff; padding: 1rem; white-space: pre-wrap; font: inherit; } .quiet { color: #54656b; }
  ul.quays { list-style: none; padding: 0; display: grid; grid-template-columns: repeat(auto-fill, minmax(15rem, 1fr)); gap: .3rem .8rem; } h2 { font-size: 1.05rem; margin: 1.2rem 0 .4rem; }
</style></head><body>${body}</body></html>`;
}

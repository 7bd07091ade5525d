/// <reference types="node" />
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { functions, makeRule, parseFieldType, RuleContext, timestampOfMillis, valueText } from '@versicle/core';
import { CHAPTERS, chapterOf } from './chapters';
import { functionsChapter } from './functions-chapter';
import { idOf, rulesOf, sectionsOf } from './guide-text';

const docs = resolve(__dirname, '../../../../../docs');
const chapter = (id: string): string => readFileSync(join(docs, 'guide', `${id}.md`), 'utf8');
const text = parseFieldType('text').value;

describe('the guide', () => {
  it('has a file for each chapter, and a chapter for each file', () => {
    const files = readdirSync(join(docs, 'guide')).map((f) => f.replace(/\.md$/, ''));
    expect(files.sort()).toEqual(CHAPTERS.map((c) => c.id).sort());
    for (const { id, title } of CHAPTERS) expect(sectionsOf(chapter(id))[0]?.title).toBe(title);
  });

  it('has the chapter of functions as the registry has them (VERSICLE_WRITE=1 writes it)', () => {
    const written = functionsChapter([...functions.values()]);
    if (process.env['VERSICLE_WRITE']) writeFileSync(join(docs, 'guide/functions.md'), written);
    expect(chapter('functions')).toBe(written);
  });

  it.each(CHAPTERS.flatMap(({ id }) => rulesOf(chapter(id)).map((r) => [id, r.rule, r] as const)))(
    'says in %s what %s gives',
    (_, rule, { gives }) => {
      expect(gives.length).toBeGreaterThan(0);
      for (const { row, value } of gives) {
        const fields = Object.keys(row).map((name, slot) => ({ alias: null, name, type: text, slot }));
        const made = makeRule(rule, { fields });
        const context = new RuleContext();
        context.row = Object.values(row);
        context.now = timestampOfMillis(Date.UTC(2026, 10, 29));
        const result = made.run(context);
        expect(context.fault?.message).toBeUndefined();
        expect(valueText(result, made.type)).toBe(value);
      }
    },
  );

  it('opens the chapter of the page that one is on', () => {
    for (const [address, id] of [
      ['/today', 'first-steps'],
      ['/systems', 'systems'],
      ['/systems/x/dataset?name=a.csv&tab=format', 'data'],
      ['/mappings/members?line=l03', 'mapping'],
      ['/mappings/members?view=source', 'source-sets'],
      ['/mappings/members?line=l1&view=trial', 'publishing'],
      ['/mappings/members/revisions', 'publishing'],
      ['/mappings/new/spreadsheet', 'workbooks'],
      ['/runs/4', 'running'],
      ['/failures?state=any', 'failures'],
      ['/codes/tariffs', 'code-tables'],
    ])
      expect([address, chapterOf(address!)]).toEqual([address, id]);
  });
});

/** Markdown files of the project, with their links to files of it: broken ones would lead nowhere. */
describe('links between documents', () => {
  const files = [
    join(docs, '../README.md'),
    ...readdirSync(docs).flatMap((f) => (f.endsWith('.md') ? [join(docs, f)] : [])),
    ...CHAPTERS.map((c) => join(docs, 'guide', `${c.id}.md`)),
  ];
  const headings = (file: string): string[] => sectionsOf(readFileSync(file, 'utf8')).map((s) => s.id);

  it.each(files.map((f) => [f.slice(docs.length - 4), f] as const))('%s leads where it says', (_, file) => {
    const links = [...readFileSync(file, 'utf8').matchAll(/\]\(([^)\s]+)\)/g)].map((m) => m[1]!);
    const broken = links.filter((link) => {
      if (/^[a-z]+:/.test(link)) return false;
      const [path, heading] = link.split('#') as [string, string?];
      const to = path === '' ? file : resolve(dirname(file), path);
      return !existsSync(to) || (heading !== undefined && !headings(to).includes(heading));
    });
    expect(broken).toEqual([]);
  });
});

describe('a chapter', () => {
  it('is cut at its headings, with links to other chapters and pictures of the application', () => {
    const [first, second] = sectionsOf(
      '# One\n\nSee [two](two.md#a-part) and ![a picture](../screenshots/today.png).\n\n## A part\n\n`x`',
    );
    expect(first).toMatchObject({ id: 'one', title: 'One', depth: 1 });
    expect(first!.html).toContain('href="/help/two#a-part"');
    expect(first!.html).toContain('src="/guide/pictures/today.png"');
    expect(second).toMatchObject({ id: 'a-part', depth: 2 });
    expect(idOf('What it’s for, and why?')).toBe('what-its-for-and-why');
  });
  it('shows a rule with what it gives, and markup in it as text', () => {
    const [section] = sectionsOf("# R\n\n```rule\na < b\n-- a = '<b>', b = '' gives null\n```");
    expect(section!.html).toContain('<code>a &lt; b</code>');
    expect(section!.html).toContain('a <code>&lt;b&gt;</code>, b <code>(empty)</code> gives <code>null</code>');
  });
});

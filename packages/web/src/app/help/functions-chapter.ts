import type { functions } from '@versicle/core';

type RuleFunction = typeof functions extends ReadonlyMap<string, infer F> ? F : never;

const GROUPS: readonly (readonly [key: string, title: string])[] = [
  ['text', 'Text'],
  ['number', 'Numbers'],
  ['date', 'Dates and times'],
  ['array', 'Arrays of texts'],
  ['json', 'JSON'],
  ['choice', 'Choosing'],
  ['aggregate', 'Aggregates, where the source set groups'],
  ['lookup', 'Looking up, reading strictly, failing on purpose'],
];

/** The chapter of the guide that lists every function of rules, made from the registry that also checks and runs them. */
export function functionsChapter(all: readonly RuleFunction[]): string {
  const parts = GROUPS.map(([key, title]) => {
    const lines = all
      .filter((f) => f.group === key)
      .map((f) => {
        const gives = f.group === 'aggregate' ? '' : ` gives ${code(f.example.value ?? 'null')}`;
        return `- ${code(f.signature)} ${f.summary} ${code(f.example.rule)}${gives}`;
      });
    return `## ${title}\n\n${lines.join('\n')}\n`;
  });
  return `# Functions

Rules, conditions, defaults, filters and checks are standard SQL expressions, with PostgreSQL’s functions and PostgreSQL’s answers. This chapter is made from the registry that also checks and runs them.

${parts.join('\n')}`;
}
/** As code, also where it has backticks itself. */
const code = (text: string): string => (text.includes('`') ? `\`\` ${text} \`\`` : `\`${text}\``);

export * from './archive.ts';
export * from './chunks.ts';
export * from './look.ts';
export * from './records.ts';
export * from './write.ts';
export * from './document-workbook.ts';
export * from './code-table.ts';
export * from './grid.ts';

export * from './issued-report.schema.js';
export * from './live-figures.js';
export * from './report-document.js';
export * from './report-template.schema.js';
export * from './run-file.js';

export * from './describe-extractor.js';
export * from './extract.js';
export * from './extractor.schema.js';
export * from './html.js';
export * from './locate.js';
export * from './response-view.js';

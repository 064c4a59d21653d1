export * from './describe-extractor.js';
export * from './extract.js';
export { extractorKinds, ExtractorSchema, type Extractor, type ExtractorKindName } from './extractor.schema.js';
export * from './locate.js';

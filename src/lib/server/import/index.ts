/** Data in: saved imports, loading a file, what the batches loaded and rejected. Every function checks the permission itself. */
export { listImports, readBatch, readImport, type BatchDetails, type BatchLine, type ImportCard, type ImportDetails } from './read';
export { loadFile, MOST_BYTES, type LoadOutcome } from './load';

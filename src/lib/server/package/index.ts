/** The whole model as a file: out as a zip of JSON and CSV, in as a new model or as a comparison with one. */
export { createFromPackage, type CreatedModel } from './create';
export { MOST_PACKAGE_BYTES } from '../unpack/package';
export { comparePackages, type Difference } from '../definition/package-differences';
export { previewTakeOver, takeOver, takeOverSchema, type Refusal, type TakenOver } from './take-over';
export { comparePacked, readPackage } from './unpacked';
export { exportPackage, packModel } from './pack';

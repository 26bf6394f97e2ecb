/** The whole model as a file: out as a zip of JSON and CSV, in as a new model or as a comparison with one. */
export { createFromPackage, type CreatedModel } from './create';
export { comparePackages, MOST_PACKAGE_BYTES, type Difference } from '../unpack/package';
export { comparePacked, readPackage } from './unpacked';
export { exportPackage, packModel } from './write';

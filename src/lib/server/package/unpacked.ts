import { Fault } from '../fault';
import { unpack } from '../unpack';
import type { ModelPackage } from '../definition/package-format';
import type { Difference } from '../definition/package-differences';
import { MOST_PACKAGE_BYTES, type PackageSummary, type ReadPackage } from '../unpack/package';

const requireSmall = (bytes: Uint8Array): void => {
	if (bytes.length > MOST_PACKAGE_BYTES)
		throw new Fault(413, 'too large', `The package is larger than ${MOST_PACKAGE_BYTES / 1024 / 1024} MB.`);
};

/** A package from its zip, checked against the format. @throws Fault naming the file and what is wrong with it */
export async function readPackage(bytes: Uint8Array): Promise<ReadPackage> {
	requireSmall(bytes);
	return unpack('package', { bytes });
}

/** What a package would change in a model. @throws Fault as above */
export async function comparePacked(bytes: Uint8Array, own: ModelPackage): Promise<PackageSummary & { differences: Difference[] }> {
	requireSmall(bytes);
	return unpack('compare', { bytes, own });
}

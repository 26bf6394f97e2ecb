/** How Debian's Chromium is started for tests and pictures: without a window, a sandbox or talk to the network. */
export const chromiumOptions = {
	executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
	args: [
		'--headless',
		'--no-sandbox',
		'--disable-gpu',
		'--disable-quic',
		'--no-first-run',
		'--disable-background-networking',
		'--disable-component-update',
		'--disable-sync'
	]
};

// npm run demo:files: writes the demo's source files anew.
import { writeFileSync } from 'node:fs';
import { ledgerFile, ticketingFile } from './ledger';

writeFileSync('demo/files/ledger-2026-09.csv', ledgerFile());
writeFileSync('demo/files/ticketing-2026-09.csv', ticketingFile());

-- What stood beneath an entry when it was typed, so that entries whose proposals moved since can be listed. Entries of
-- before this migration do not know it.
ALTER TABLE entry_change ADD COLUMN beneath double precision;

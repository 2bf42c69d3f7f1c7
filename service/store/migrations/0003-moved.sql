-- What 0002 moved into documents is not kept twice.
ALTER TABLE levels DROP COLUMN document;
ALTER TABLE bakes DROP COLUMN document;

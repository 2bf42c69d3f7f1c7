-- Documents are kept once, by the SHA-256 of their JSON; levels and bakes name them.
CREATE TABLE documents (hash TEXT PRIMARY KEY, body BLOB NOT NULL, bytes INTEGER NOT NULL);
ALTER TABLE levels ADD COLUMN document_hash TEXT NOT NULL DEFAULT '';
ALTER TABLE levels ADD COLUMN fault TEXT NOT NULL DEFAULT '';
ALTER TABLE bakes ADD COLUMN document_hash TEXT NOT NULL DEFAULT '';
CREATE INDEX idx_levels_document ON levels(document_hash);
CREATE INDEX idx_bakes_document ON bakes(document_hash);
-- People can be admins, and can be kept from signing in. The first one is an admin.
ALTER TABLE users ADD COLUMN admin INTEGER NOT NULL DEFAULT 0;
ALTER TABLE users ADD COLUMN disabled INTEGER NOT NULL DEFAULT 0;
UPDATE users SET admin = 1 WHERE id = (SELECT min(id) FROM users);
-- The scope "bake" is part of "edit" now. A token that had only it may do nothing.
UPDATE tokens SET scopes = trim(replace(',' || scopes || ',', ',bake,', ','), ',');

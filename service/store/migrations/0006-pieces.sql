-- Documents name pieces, which are kept once however many documents have them.
CREATE TABLE `pieces` (`hash` text,`body` blob NOT NULL,`bytes` integer NOT NULL,PRIMARY KEY (`hash`));
CREATE TABLE `document_pieces` (`document` text,`piece` text,PRIMARY KEY (`document`,`piece`),CONSTRAINT `fk_document_pieces` FOREIGN KEY (`document`) REFERENCES `documents`(`hash`) ON DELETE CASCADE) WITHOUT ROWID;
CREATE INDEX `idx_document_pieces_piece` ON `document_pieces`(`piece`);

-- Deleted levels can be had back; what a list of levels shows is kept beside them; sessions
-- say when and with what they began.
ALTER TABLE `levels` ADD COLUMN `removed` datetime;
ALTER TABLE `levels` ADD COLUMN `checked` text NOT NULL DEFAULT '';
ALTER TABLE `levels` ADD COLUMN `errors` integer NOT NULL DEFAULT 0;
ALTER TABLE `levels` ADD COLUMN `warnings` integer NOT NULL DEFAULT 0;
ALTER TABLE `sessions` ADD COLUMN `created` datetime;
ALTER TABLE `sessions` ADD COLUMN `agent` text NOT NULL DEFAULT '';
CREATE TABLE `thumbnails` (`level_id` text,`key` text NOT NULL,`picture` blob NOT NULL,PRIMARY KEY (`level_id`),CONSTRAINT `fk_thumbnails_level` FOREIGN KEY (`level_id`) REFERENCES `levels`(`id`) ON DELETE CASCADE);

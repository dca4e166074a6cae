ALTER TABLE `dmarc_rows` ADD `unproven` integer DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE `domain_reports` ADD `proof` text;--> statement-breakpoint
ALTER TABLE `returns` ADD `brought_by` text;
CREATE TABLE `alert_rules` (
	`space` text NOT NULL,
	`name` text NOT NULL,
	`rule` text NOT NULL,
	`created_at` integer NOT NULL,
	PRIMARY KEY(`space`, `name`)
);
--> statement-breakpoint
CREATE TABLE `alerts` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`rule` text NOT NULL,
	`group` text NOT NULL,
	`since` integer NOT NULL,
	`resolved_at` integer,
	`value` real NOT NULL,
	`text` text NOT NULL,
	`notified` integer DEFAULT 0 NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `alerts_firing` ON `alerts` (`space`,`rule`,`group`) WHERE "alerts"."resolved_at" is null;--> statement-breakpoint
CREATE INDEX `alerts_by_space` ON `alerts` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `alerts_by_end` ON `alerts` (`resolved_at`) WHERE "alerts"."resolved_at" is not null;--> statement-breakpoint
CREATE TABLE `attachments` (
	`message_id` text NOT NULL,
	`n` integer NOT NULL,
	`name` text NOT NULL,
	`type` text NOT NULL,
	`url` text,
	`content_id` text,
	PRIMARY KEY(`message_id`, `n`)
);
--> statement-breakpoint
CREATE INDEX `attachments_by_content` ON `attachments` (`content_id`) WHERE "attachments"."content_id" is not null;--> statement-breakpoint
CREATE TABLE `content_pieces` (
	`content_id` text NOT NULL,
	`n` integer NOT NULL,
	`bytes` blob NOT NULL,
	PRIMARY KEY(`content_id`, `n`)
);
--> statement-breakpoint
CREATE TABLE `contents` (
	`id` text PRIMARY KEY NOT NULL,
	`hash` text,
	`size` integer NOT NULL,
	`created_at` integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE `uploads` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`name` text NOT NULL,
	`type` text NOT NULL,
	`content_id` text NOT NULL,
	`created_at` integer NOT NULL
);
--> statement-breakpoint
CREATE INDEX `uploads_by_content` ON `uploads` (`content_id`);--> statement-breakpoint
CREATE TABLE `audit_entries` (
	`seq` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`at` integer NOT NULL,
	`actor_kind` text NOT NULL,
	`actor_id` text,
	`actor` text NOT NULL,
	`action` text NOT NULL,
	`space` text,
	`target` text,
	`change` text,
	`address` text NOT NULL
);
--> statement-breakpoint
CREATE INDEX `audit_by_space` ON `audit_entries` (`space`,`seq`);--> statement-breakpoint
CREATE INDEX `audit_by_actor` ON `audit_entries` (`actor_id`,`seq`);--> statement-breakpoint
CREATE INDEX `audit_by_target` ON `audit_entries` (`target`,`seq`);--> statement-breakpoint
CREATE INDEX `audit_by_time` ON `audit_entries` (`at`);--> statement-breakpoint
CREATE TABLE `bulk_rows` (
	`bulk_id` text NOT NULL,
	`n` integer NOT NULL,
	`key` text NOT NULL,
	`message_id` text,
	`who` text,
	`problem` text,
	PRIMARY KEY(`bulk_id`, `n`)
);
--> statement-breakpoint
CREATE UNIQUE INDEX `bulk_rows_by_recipient` ON `bulk_rows` (`bulk_id`,`key`) WHERE "bulk_rows"."message_id" is not null;--> statement-breakpoint
CREATE INDEX `bulk_rows_refused` ON `bulk_rows` (`bulk_id`,`n`) WHERE "bulk_rows"."message_id" is null;--> statement-breakpoint
CREATE INDEX `bulk_rows_by_message` ON `bulk_rows` (`message_id`) WHERE "bulk_rows"."message_id" is not null;--> statement-breakpoint
CREATE TABLE `bulk_sends` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`name` text NOT NULL,
	`state` text NOT NULL,
	`common` text NOT NULL,
	`source` text NOT NULL,
	`cursor` text NOT NULL,
	`per_minute` integer,
	`first` integer,
	`key_id` text,
	`run` text,
	`read` integer DEFAULT 0 NOT NULL,
	`accepted` integer DEFAULT 0 NOT NULL,
	`refused` integer DEFAULT 0 NOT NULL,
	`problem` text,
	`failures` integer DEFAULT 0 NOT NULL,
	`created_at` integer NOT NULL,
	`next_at` integer,
	`ended_at` integer
);
--> statement-breakpoint
CREATE INDEX `bulk_sends_by_space` ON `bulk_sends` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `bulk_sends_due` ON `bulk_sends` (`next_at`) WHERE "bulk_sends"."next_at" is not null;--> statement-breakpoint
CREATE TABLE `callback_batches` (
	`id` text PRIMARY KEY NOT NULL,
	`provider` text NOT NULL,
	`received_at` integer NOT NULL,
	`extracted` integer DEFAULT false NOT NULL,
	`try_at` integer DEFAULT 0 NOT NULL,
	`body` blob NOT NULL
);
--> statement-breakpoint
CREATE TABLE `captured` (
	`seq` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`id` text NOT NULL,
	`space` text NOT NULL,
	`delivery_id` text,
	`message_id` text,
	`address` text NOT NULL,
	`sender` text NOT NULL,
	`subject` text NOT NULL,
	`received_at` integer NOT NULL,
	`size` integer NOT NULL,
	`attachments` integer NOT NULL,
	`code` text,
	`content_id` text,
	`bytes` blob
);
--> statement-breakpoint
CREATE UNIQUE INDEX `captured_id_unique` ON `captured` (`id`);--> statement-breakpoint
CREATE UNIQUE INDEX `captured_delivery_id_unique` ON `captured` (`delivery_id`);--> statement-breakpoint
CREATE INDEX `captured_by_space` ON `captured` (`space`,`seq`);--> statement-breakpoint
CREATE INDEX `captured_by_address` ON `captured` (`space`,`address`,`seq`);--> statement-breakpoint
CREATE INDEX `captured_by_content` ON `captured` (`content_id`) WHERE "captured"."content_id" is not null;--> statement-breakpoint
CREATE TABLE `consents` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`address` text NOT NULL,
	`topic` text NOT NULL,
	`kind` text NOT NULL,
	`how` text NOT NULL,
	`source` text,
	`at` integer NOT NULL,
	`recorded_at` integer NOT NULL,
	`delivery_id` text,
	`until` integer
);
--> statement-breakpoint
CREATE INDEX `consents_by_address` ON `consents` (`space`,`address`,`topic`);--> statement-breakpoint
CREATE INDEX `consents_by_until` ON `consents` (`until`) WHERE "consents"."until" is not null;--> statement-breakpoint
CREATE TABLE `copy_state` (
	`id` integer PRIMARY KEY NOT NULL,
	`folder` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `domain_checks` (
	`id` text PRIMARY KEY NOT NULL,
	`domain` text NOT NULL,
	`first_at` integer NOT NULL,
	`last_at` integer NOT NULL,
	`times` integer NOT NULL,
	`hash` text NOT NULL,
	`state` text NOT NULL,
	`records` text NOT NULL,
	`answers` text NOT NULL
);
--> statement-breakpoint
CREATE INDEX `domain_checks_by_domain` ON `domain_checks` (`domain`,`id`);--> statement-breakpoint
CREATE INDEX `domain_checks_by_age` ON `domain_checks` (`last_at`);--> statement-breakpoint
CREATE TABLE `domain_states` (
	`domain` text PRIMARY KEY NOT NULL,
	`state` text NOT NULL,
	`checked_at` integer NOT NULL,
	`next_check_at` integer NOT NULL,
	`open_since` integer,
	`right_since` integer,
	`records` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `domain_verifications` (
	`token` text PRIMARY KEY NOT NULL,
	`domain` text NOT NULL,
	`from` text NOT NULL,
	`space` text NOT NULL,
	`message_id` text NOT NULL,
	`started_at` integer NOT NULL,
	`arrived_at` integer,
	`results` text NOT NULL
);
--> statement-breakpoint
CREATE INDEX `domain_verifications_by_domain` ON `domain_verifications` (`domain`,`started_at`);--> statement-breakpoint
CREATE TABLE `dmarc_rows` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`return_id` text NOT NULL,
	`domain` text NOT NULL,
	`end` integer NOT NULL,
	`reporter` text NOT NULL,
	`source` text NOT NULL,
	`count` integer NOT NULL,
	`dkim` integer NOT NULL,
	`spf` integer NOT NULL,
	`disposition` text NOT NULL,
	`from` text NOT NULL,
	`envelope_from` text,
	`signers` text NOT NULL
);
--> statement-breakpoint
CREATE INDEX `dmarc_rows_by_domain` ON `dmarc_rows` (`domain`,`end`);--> statement-breakpoint
CREATE INDEX `dmarc_rows_by_source` ON `dmarc_rows` (`domain`,`source`);--> statement-breakpoint
CREATE INDEX `dmarc_rows_by_age` ON `dmarc_rows` (`end`);--> statement-breakpoint
CREATE TABLE `domain_reports` (
	`return_id` text NOT NULL,
	`number` integer NOT NULL,
	`kind` text NOT NULL,
	`domain` text NOT NULL,
	`reporter` text NOT NULL,
	`report_id` text NOT NULL,
	`begin` integer NOT NULL,
	`end` integer NOT NULL,
	`received_at` integer NOT NULL,
	`problem` text,
	`successful` integer NOT NULL,
	`failed` integer NOT NULL,
	`failures` text NOT NULL,
	PRIMARY KEY(`return_id`, `number`)
);
--> statement-breakpoint
CREATE UNIQUE INDEX `domain_reports_once` ON `domain_reports` (`kind`,`domain`,`reporter`,`report_id`);--> statement-breakpoint
CREATE INDEX `domain_reports_by_domain` ON `domain_reports` (`domain`,`end`);--> statement-breakpoint
CREATE INDEX `domain_reports_by_age` ON `domain_reports` (`received_at`);--> statement-breakpoint
CREATE TABLE `domains` (
	`name` text PRIMARY KEY NOT NULL,
	`return_host` text NOT NULL,
	`link_host` text,
	`policy` text NOT NULL,
	`shared_pages` integer DEFAULT 0 NOT NULL,
	`created_at` integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE `link_hosts` (
	`host` text PRIMARY KEY NOT NULL,
	`domain` text NOT NULL,
	`live_from` integer
);
--> statement-breakpoint
CREATE TABLE `return_hosts` (
	`host` text PRIMARY KEY NOT NULL,
	`domain` text NOT NULL,
	`live_from` integer,
	`retired_at` integer
);
--> statement-breakpoint
CREATE INDEX `return_hosts_by_domain` ON `return_hosts` (`domain`);--> statement-breakpoint
CREATE TABLE `signing_keys` (
	`domain` text NOT NULL,
	`selector` text NOT NULL,
	`algorithm` text NOT NULL,
	`encrypted` blob NOT NULL,
	`record` text NOT NULL,
	`created_at` integer NOT NULL,
	`published_at` integer,
	`signs_from` integer,
	`lost_at` integer,
	`retired_at` integer,
	PRIMARY KEY(`domain`, `selector`)
);
--> statement-breakpoint
CREATE TABLE `assets` (
	`address` text PRIMARY KEY NOT NULL,
	`hash` text NOT NULL,
	`type` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `blobs` (
	`hash` text PRIMARY KEY NOT NULL,
	`bytes` blob NOT NULL
);
--> statement-breakpoint
CREATE TABLE `editions` (
	`space` text NOT NULL,
	`number` integer NOT NULL,
	`hash` text NOT NULL,
	`manifest` text NOT NULL,
	`created_at` integer NOT NULL,
	PRIMARY KEY(`space`, `number`)
);
--> statement-breakpoint
CREATE TABLE `editions_in_use` (
	`space` text PRIMARY KEY NOT NULL,
	`number` integer NOT NULL,
	`folder_hash` text
);
--> statement-breakpoint
CREATE TABLE `engagement` (
	`space` text NOT NULL,
	`at` integer NOT NULL,
	`template` text NOT NULL,
	`topic` text NOT NULL,
	`link` integer NOT NULL,
	`label` text NOT NULL,
	`by` text NOT NULL,
	`age` integer NOT NULL,
	`n` integer NOT NULL,
	`firsts` integer NOT NULL,
	PRIMARY KEY(`space`, `at`, `template`, `topic`, `link`, `label`, `by`, `age`)
);
--> statement-breakpoint
CREATE INDEX `engagement_by_age` ON `engagement` (`at`);--> statement-breakpoint
CREATE TABLE `cursors` (
	`name` text PRIMARY KEY NOT NULL,
	`seq` integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE `events` (
	`seq` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`id` text NOT NULL,
	`space` text NOT NULL,
	`kind` text NOT NULL,
	`delivery_id` text,
	`at` integer NOT NULL,
	`recorded_at` integer NOT NULL,
	`data` text
);
--> statement-breakpoint
CREATE INDEX `events_by_kind` ON `events` (`space`,`kind`,`seq`);--> statement-breakpoint
CREATE INDEX `events_by_delivery` ON `events` (`delivery_id`,`seq`) WHERE "events"."delivery_id" is not null;--> statement-breakpoint
CREATE TABLE `counted` (
	`delivery_id` text PRIMARY KEY NOT NULL,
	`counted_as` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `figures` (
	`space` text NOT NULL,
	`grain` text NOT NULL,
	`dimension` text NOT NULL,
	`at` integer NOT NULL,
	`value` text NOT NULL,
	`measure` text NOT NULL,
	`n` integer NOT NULL,
	PRIMARY KEY(`space`, `grain`, `dimension`, `at`, `value`, `measure`)
);
--> statement-breakpoint
CREATE TABLE `holds` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`filter` text NOT NULL,
	`reason` text,
	`created_at` integer NOT NULL,
	`restored_as_of` integer,
	`is_released` integer DEFAULT false NOT NULL
);
--> statement-breakpoint
CREATE TABLE `inbound` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text,
	`inbox` text NOT NULL,
	`fingerprint` text NOT NULL,
	`state` text NOT NULL,
	`source` text NOT NULL,
	`received_at` integer NOT NULL,
	`envelope_from` text NOT NULL,
	`envelope_to` text NOT NULL,
	`hello` text NOT NULL,
	`address` text NOT NULL,
	`delivery_id` text,
	`message_id` text,
	`header_id` text,
	`from` text NOT NULL,
	`subject` text NOT NULL,
	`content` text,
	`authentication` text,
	`suspicious` text NOT NULL,
	`size` integer NOT NULL,
	`bytes` blob NOT NULL
);
--> statement-breakpoint
CREATE INDEX `inbound_by_space` ON `inbound` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `inbound_by_inbox` ON `inbound` (`space`,`inbox`,`id`);--> statement-breakpoint
CREATE INDEX `inbound_by_delivery` ON `inbound` (`delivery_id`);--> statement-breakpoint
CREATE INDEX `inbound_by_message` ON `inbound` (`message_id`);--> statement-breakpoint
CREATE INDEX `inbound_by_from` ON `inbound` (`space`,`from`,`id`);--> statement-breakpoint
CREATE INDEX `inbound_by_envelope` ON `inbound` (`envelope_from`,`received_at`);--> statement-breakpoint
CREATE INDEX `inbound_by_fingerprint` ON `inbound` (`fingerprint`);--> statement-breakpoint
CREATE INDEX `inbound_arrived` ON `inbound` (`id`) WHERE "inbound"."state" = 'arrived';--> statement-breakpoint
CREATE TABLE `inbound_answers` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`inbound_id` text NOT NULL,
	`message_id` text NOT NULL,
	`space` text NOT NULL,
	`address` text NOT NULL,
	`is_automatic` integer NOT NULL,
	`at` integer NOT NULL
);
--> statement-breakpoint
CREATE INDEX `inbound_answers_by_inbound` ON `inbound_answers` (`inbound_id`);--> statement-breakpoint
CREATE INDEX `inbound_answers_by_message` ON `inbound_answers` (`message_id`);--> statement-breakpoint
CREATE INDEX `inbound_answers_by_address` ON `inbound_answers` (`space`,`address`,`at`);--> statement-breakpoint
CREATE TABLE `key_spending` (
	`key` text NOT NULL,
	`span_at` integer NOT NULL,
	`emails` integer NOT NULL,
	PRIMARY KEY(`key`, `span_at`)
);
--> statement-breakpoint
CREATE TABLE `keys` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`name` text NOT NULL,
	`scopes` text NOT NULL,
	`hash` text NOT NULL,
	`start` text NOT NULL,
	`bounds` text,
	`created_at` integer NOT NULL,
	`expires_at` integer,
	`revoked_at` integer,
	`old_hash` text,
	`old_until` integer,
	`last_used_at` integer,
	`last_used_from` text
);
--> statement-breakpoint
CREATE UNIQUE INDEX `keys_hash_unique` ON `keys` (`hash`);--> statement-breakpoint
CREATE UNIQUE INDEX `keys_old_hash_unique` ON `keys` (`old_hash`);--> statement-breakpoint
CREATE INDEX `keys_by_space` ON `keys` (`space`,`id`);--> statement-breakpoint
CREATE TABLE `attempts` (
	`id` text PRIMARY KEY NOT NULL,
	`delivery_id` text NOT NULL,
	`number` integer NOT NULL,
	`provider` text NOT NULL,
	`started_at` integer NOT NULL,
	`ended_at` integer,
	`outcome` text,
	`phase` text,
	`reply_code` integer,
	`status` text,
	`diagnostic` text,
	`provider_id` text,
	FOREIGN KEY (`delivery_id`) REFERENCES `deliveries`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE INDEX `attempts_by_provider_id` ON `attempts` (`provider_id`);--> statement-breakpoint
CREATE UNIQUE INDEX `attempts_by_delivery` ON `attempts` (`delivery_id`,`number`);--> statement-breakpoint
CREATE TABLE `deliveries` (
	`id` text PRIMARY KEY NOT NULL,
	`message_id` text NOT NULL,
	`space` text NOT NULL,
	`address` text NOT NULL,
	`state` text NOT NULL,
	`cause` text,
	`attempts` integer NOT NULL,
	`created_at` integer NOT NULL,
	`next_attempt_at` integer,
	`not_before` integer,
	`owner` text,
	`fairness_key` text NOT NULL,
	`domain` text NOT NULL,
	`sender_domain` text NOT NULL,
	`expires_at` integer,
	`decided_by` text,
	`avoid` text,
	`unfit` text,
	`unsettled` text,
	`unsettled_at` integer,
	`held_by` text,
	`held_from` integer,
	`intended` text,
	`kept` integer DEFAULT false NOT NULL,
	`sensitive` integer DEFAULT false NOT NULL,
	FOREIGN KEY (`message_id`) REFERENCES `messages`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE INDEX `deliveries_by_message` ON `deliveries` (`message_id`);--> statement-breakpoint
CREATE INDEX `deliveries_by_fairness_key` ON `deliveries` (`fairness_key`,`next_attempt_at`,`id`) WHERE "deliveries"."next_attempt_at" is not null;--> statement-breakpoint
CREATE INDEX `deliveries_by_domain` ON `deliveries` (`fairness_key`,`domain`,`next_attempt_at`,`id`) WHERE "deliveries"."next_attempt_at" is not null;--> statement-breakpoint
CREATE INDEX `deliveries_by_deadline` ON `deliveries` (`expires_at`) WHERE coalesce("deliveries"."next_attempt_at", "deliveries"."held_from") is not null and "deliveries"."expires_at" is not null;--> statement-breakpoint
CREATE INDEX `deliveries_by_hold` ON `deliveries` (`held_by`,`id`) WHERE "deliveries"."held_by" is not null;--> statement-breakpoint
CREATE INDEX `deliveries_by_owner` ON `deliveries` (`owner`) WHERE "deliveries"."owner" is not null;--> statement-breakpoint
CREATE INDEX `deliveries_by_age` ON `deliveries` (`created_at`);--> statement-breakpoint
CREATE INDEX `deliveries_by_address` ON `deliveries` (`space`,`address`,`id`);--> statement-breakpoint
CREATE INDEX `deliveries_by_state` ON `deliveries` (`space`,`state`,`id`);--> statement-breakpoint
CREATE INDEX `deliveries_by_plan` ON `deliveries` (`space`,`not_before`,`id`) WHERE "deliveries"."not_before" is not null;--> statement-breakpoint
CREATE TABLE `emails` (
	`delivery_id` text PRIMARY KEY NOT NULL,
	`bytes` blob NOT NULL
);
--> statement-breakpoint
CREATE TABLE `facts` (
	`id` text PRIMARY KEY NOT NULL,
	`delivery_id` text NOT NULL,
	`kind` text NOT NULL,
	`source` text NOT NULL,
	`at` integer NOT NULL,
	`recorded_at` integer NOT NULL,
	`cause` text,
	`status` text,
	`reply_code` integer,
	`diagnostic` text,
	`return_id` text,
	`details` text,
	FOREIGN KEY (`delivery_id`) REFERENCES `deliveries`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE INDEX `facts_by_delivery` ON `facts` (`delivery_id`);--> statement-breakpoint
CREATE TABLE `idempotency` (
	`space` text NOT NULL,
	`key` text NOT NULL,
	`body_hash` text NOT NULL,
	`message_id` text NOT NULL,
	`created_at` integer NOT NULL,
	PRIMARY KEY(`space`, `key`)
);
--> statement-breakpoint
CREATE TABLE `messages` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`edition` integer NOT NULL,
	`template` text NOT NULL,
	`locale` text NOT NULL,
	`topic` text,
	`subject` text NOT NULL,
	`sender` text NOT NULL,
	`to` text NOT NULL,
	`more` text DEFAULT '{}' NOT NULL,
	`reference` text,
	`labels` text NOT NULL,
	`data` text NOT NULL,
	`header_id` text NOT NULL,
	`created_at` integer NOT NULL,
	`body_until` integer,
	`data_until` integer,
	`facts_until` integer
);
--> statement-breakpoint
CREATE INDEX `messages_body_until` ON `messages` (`body_until`) WHERE "messages"."body_until" is not null;--> statement-breakpoint
CREATE INDEX `messages_data_until` ON `messages` (`data_until`) WHERE "messages"."data_until" is not null;--> statement-breakpoint
CREATE INDEX `messages_facts_until` ON `messages` (`facts_until`) WHERE "messages"."facts_until" is not null;--> statement-breakpoint
CREATE INDEX `messages_by_space` ON `messages` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `messages_by_header_id` ON `messages` (`header_id`);--> statement-breakpoint
CREATE INDEX `messages_by_reference` ON `messages` (`space`,`reference`,`id`);--> statement-breakpoint
CREATE INDEX `messages_by_template` ON `messages` (`space`,`template`,`id`);--> statement-breakpoint
CREATE INDEX `messages_by_edition` ON `messages` (`space`,`edition`);--> statement-breakpoint
CREATE INDEX `messages_by_raw` ON `messages` ("more" ->> '$.raw') WHERE "messages"."more" ->> '$.raw' is not null;--> statement-breakpoint
CREATE TABLE `sender_faults` (
	`space` text NOT NULL,
	`cause` text NOT NULL,
	`day` text NOT NULL,
	`count` integer NOT NULL,
	`evidence` text NOT NULL,
	`reported_at` integer,
	PRIMARY KEY(`space`, `cause`, `day`)
);
--> statement-breakpoint
CREATE TABLE `people` (
	`id` text PRIMARY KEY NOT NULL,
	`email` text NOT NULL,
	`name` text NOT NULL,
	`created_at` integer NOT NULL,
	`invited_by` text NOT NULL,
	`last_sign_in_at` integer,
	`issuer` text,
	`subject` text
);
--> statement-breakpoint
CREATE UNIQUE INDEX `people_email_unique` ON `people` (`email`);--> statement-breakpoint
CREATE UNIQUE INDEX `people_by_subject` ON `people` (`issuer`,`subject`);--> statement-breakpoint
CREATE TABLE `roles` (
	`person_id` text NOT NULL,
	`space` text NOT NULL,
	`role` text NOT NULL,
	`content` integer NOT NULL,
	PRIMARY KEY(`person_id`, `space`),
	FOREIGN KEY (`person_id`) REFERENCES `people`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE TABLE `sessions` (
	`id` text PRIMARY KEY NOT NULL,
	`hash` text NOT NULL,
	`kind` text NOT NULL,
	`person_id` text,
	`way` text NOT NULL,
	`created_at` integer NOT NULL,
	`expires_at` integer NOT NULL,
	`last_seen_at` integer NOT NULL,
	`address` text NOT NULL,
	`agent` text NOT NULL,
	FOREIGN KEY (`person_id`) REFERENCES `people`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE UNIQUE INDEX `sessions_hash_unique` ON `sessions` (`hash`);--> statement-breakpoint
CREATE INDEX `sessions_by_person` ON `sessions` (`person_id`);--> statement-breakpoint
CREATE INDEX `sessions_by_end` ON `sessions` (`expires_at`);--> statement-breakpoint
CREATE TABLE `permits` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`hash` text NOT NULL,
	`common` text NOT NULL,
	`key_id` text,
	`times` integer NOT NULL,
	`used` integer DEFAULT 0 NOT NULL,
	`created_at` integer NOT NULL,
	`expires_at` integer NOT NULL,
	`revoked_at` integer
);
--> statement-breakpoint
CREATE INDEX `permits_by_space` ON `permits` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `permits_by_end` ON `permits` (`expires_at`);--> statement-breakpoint
CREATE TABLE `provider_states` (
	`name` text PRIMARY KEY NOT NULL,
	`paused` integer DEFAULT false NOT NULL,
	`trouble_since` integer,
	`trouble_why` text
);
--> statement-breakpoint
CREATE TABLE `returns` (
	`id` text PRIMARY KEY NOT NULL,
	`hash` text NOT NULL,
	`fingerprint` text,
	`space` text,
	`source` text NOT NULL,
	`provider` text,
	`received_at` integer NOT NULL,
	`envelope_from` text NOT NULL,
	`envelope_to` text NOT NULL,
	`kind` text NOT NULL,
	`delivery_id` text,
	`readout` text NOT NULL,
	`bytes` blob NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `returns_hash_unique` ON `returns` (`hash`);--> statement-breakpoint
CREATE INDEX `returns_by_space` ON `returns` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `returns_by_kind` ON `returns` (`space`,`kind`,`id`);--> statement-breakpoint
CREATE INDEX `returns_by_delivery` ON `returns` (`delivery_id`);--> statement-breakpoint
CREATE INDEX `returns_by_fingerprint` ON `returns` (`fingerprint`) WHERE "returns"."fingerprint" is not null;--> statement-breakpoint
CREATE INDEX `returns_unmatched` ON `returns` (`space`,`id`) WHERE "returns"."delivery_id" is null;--> statement-breakpoint
CREATE TABLE `schedule_runs` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`schedule` text NOT NULL,
	`planned_at` integer NOT NULL,
	`state` text NOT NULL,
	`is_manual` integer NOT NULL,
	`why` text,
	`bulk_id` text,
	`at` integer NOT NULL
);
--> statement-breakpoint
CREATE INDEX `schedule_runs_by_schedule` ON `schedule_runs` (`space`,`schedule`,`id`);--> statement-breakpoint
CREATE UNIQUE INDEX `schedule_runs_planned` ON `schedule_runs` (`space`,`schedule`,`planned_at`) WHERE "schedule_runs"."is_manual" = 0;--> statement-breakpoint
CREATE TABLE `scheduled_editions` (
	`space` text PRIMARY KEY NOT NULL,
	`edition` integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE `schedules` (
	`space` text NOT NULL,
	`name` text NOT NULL,
	`times` text NOT NULL,
	`is_present` integer NOT NULL,
	`is_paused` integer DEFAULT false NOT NULL,
	`next_at` integer,
	PRIMARY KEY(`space`, `name`)
);
--> statement-breakpoint
CREATE INDEX `schedules_due` ON `schedules` (`next_at`) WHERE "schedules"."next_at" is not null;--> statement-breakpoint
CREATE TABLE `senders` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`address` text NOT NULL,
	`name` text NOT NULL,
	`added_at` integer NOT NULL,
	`asked_at` integer,
	`message_id` text,
	`confirmed_at` integer,
	`policy` text
);
--> statement-breakpoint
CREATE UNIQUE INDEX `senders_by_address` ON `senders` (`space`,`address`);--> statement-breakpoint
CREATE TABLE `sensitive_boxes` (
	`owner_id` text PRIMARY KEY NOT NULL,
	`day` text NOT NULL,
	`box` blob NOT NULL
);
--> statement-breakpoint
CREATE INDEX `sensitive_boxes_by_day` ON `sensitive_boxes` (`day`);--> statement-breakpoint
CREATE TABLE `signal_cancels` (
	`space` text NOT NULL,
	`rule` text NOT NULL,
	`key` text NOT NULL,
	`at` integer NOT NULL,
	`signal_id` text NOT NULL,
	PRIMARY KEY(`space`, `rule`, `key`, `signal_id`)
);
--> statement-breakpoint
CREATE INDEX `signal_cancels_by_signal` ON `signal_cancels` (`signal_id`);--> statement-breakpoint
CREATE TABLE `signal_matches` (
	`signal_id` text NOT NULL,
	`rule` text NOT NULL,
	`space` text NOT NULL,
	`state` text NOT NULL,
	`why` text,
	`due_at` integer NOT NULL,
	`key` text,
	`by` text,
	`group` text,
	`message_id` text,
	`changed_at` integer NOT NULL,
	PRIMARY KEY(`signal_id`, `rule`)
);
--> statement-breakpoint
CREATE INDEX `signal_matches_due` ON `signal_matches` (`due_at`) WHERE "signal_matches"."state" in ('waiting', 'sending');--> statement-breakpoint
CREATE INDEX `signal_matches_waiting` ON `signal_matches` (`space`,`rule`,`by`) WHERE "signal_matches"."state" = 'waiting';--> statement-breakpoint
CREATE INDEX `signal_matches_keyed` ON `signal_matches` (`space`,`rule`,`key`) WHERE "signal_matches"."state" = 'waiting' and "signal_matches"."key" is not null;--> statement-breakpoint
CREATE INDEX `signal_matches_by_message` ON `signal_matches` (`message_id`) WHERE "signal_matches"."message_id" is not null;--> statement-breakpoint
CREATE TABLE `signal_sends` (
	`space` text NOT NULL,
	`rule` text NOT NULL,
	`address` text NOT NULL,
	`at` integer NOT NULL,
	`signal_id` text NOT NULL,
	PRIMARY KEY(`space`, `rule`, `address`, `signal_id`)
);
--> statement-breakpoint
CREATE INDEX `signal_sends_by_time` ON `signal_sends` (`at`);--> statement-breakpoint
CREATE TABLE `signals` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`source` text NOT NULL,
	`event_id` text NOT NULL,
	`type` text NOT NULL,
	`subject` text,
	`at` integer NOT NULL,
	`received_at` integer NOT NULL,
	`data` text,
	`sensitive` integer DEFAULT false NOT NULL,
	`key_id` text,
	`matched_at` integer
);
--> statement-breakpoint
CREATE UNIQUE INDEX `signals_by_event` ON `signals` (`space`,`source`,`event_id`);--> statement-breakpoint
CREATE INDEX `signals_by_space` ON `signals` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `signals_by_type` ON `signals` (`space`,`type`,`id`);--> statement-breakpoint
CREATE INDEX `signals_open` ON `signals` (`id`) WHERE "signals"."matched_at" is null;--> statement-breakpoint
CREATE INDEX `signals_by_time` ON `signals` (`received_at`);--> statement-breakpoint
CREATE TABLE `suppressions` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`address` text NOT NULL,
	`topic` text DEFAULT '' NOT NULL,
	`reason` text NOT NULL,
	`cause` text,
	`evidence` text,
	`delivery_id` text,
	`note` text,
	`created_at` integer NOT NULL,
	`lifted_at` integer,
	`lift_note` text
);
--> statement-breakpoint
CREATE UNIQUE INDEX `suppressions_in_force` ON `suppressions` (`space`,`address`,`topic`) WHERE "suppressions"."lifted_at" is null;--> statement-breakpoint
CREATE INDEX `suppressions_by_space` ON `suppressions` (`space`,`id`);--> statement-breakpoint
CREATE INDEX `suppressions_by_address` ON `suppressions` (`space`,`address`,`id`);--> statement-breakpoint
CREATE INDEX `suppressions_by_reason` ON `suppressions` (`space`,`reason`,`id`);--> statement-breakpoint
CREATE INDEX `suppressions_by_topic` ON `suppressions` (`space`,`topic`,`id`);--> statement-breakpoint
CREATE TABLE `notifications` (
	`subscription_id` text NOT NULL,
	`seq` integer NOT NULL,
	`state` text NOT NULL,
	`order_key` text NOT NULL,
	`attempts` integer NOT NULL,
	`next_at` integer,
	`last_at` integer,
	`status` integer,
	`problem` text,
	`milliseconds` integer,
	PRIMARY KEY(`subscription_id`, `seq`)
);
--> statement-breakpoint
CREATE INDEX `notifications_waiting` ON `notifications` (`subscription_id`,`order_key`,`seq`) WHERE "notifications"."state" = 'waiting';--> statement-breakpoint
CREATE INDEX `notifications_set_aside` ON `notifications` (`subscription_id`,`seq`) WHERE "notifications"."state" = 'dead-letter';--> statement-breakpoint
CREATE TABLE `subscriptions` (
	`id` text PRIMARY KEY NOT NULL,
	`space` text NOT NULL,
	`name` text NOT NULL,
	`url` text NOT NULL,
	`filter` text NOT NULL,
	`encrypted` blob NOT NULL,
	`payload` text,
	`batch` integer NOT NULL,
	`handshake` integer NOT NULL,
	`state` text NOT NULL,
	`reason` text,
	`cursor` integer NOT NULL,
	`created_at` integer NOT NULL
);
--> statement-breakpoint
CREATE INDEX `subscriptions_by_space` ON `subscriptions` (`space`,`id`);--> statement-breakpoint
CREATE TABLE `change_log` (
	`seq` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`at` integer NOT NULL,
	`has_old` integer NOT NULL,
	`changes` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `kernel_state` (
	`id` integer PRIMARY KEY NOT NULL,
	`epoch` integer NOT NULL,
	`secrets` text,
	`lineage` text
);
--> statement-breakpoint
CREATE TABLE `quarantine` (
	`id` text PRIMARY KEY NOT NULL,
	`worker` text NOT NULL,
	`key` text NOT NULL,
	`space` text,
	`title` text NOT NULL,
	`error` text NOT NULL,
	`stack` text NOT NULL,
	`payload` text NOT NULL,
	`quarantined_at` integer NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `quarantine_by_item` ON `quarantine` (`worker`,`key`);--> statement-breakpoint
CREATE INDEX `quarantine_by_space` ON `quarantine` (`space`,`id`);--> statement-breakpoint
-- What a search of captured mail looks through: parts of words, whatever their case and accents. It keeps no copy of the text.
CREATE VIRTUAL TABLE `captured_words` USING fts5(words, content='', contentless_delete=1, tokenize='trigram remove_diacritics 1');

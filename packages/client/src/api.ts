// Made from openapi.json by "npm run openapi". Do not edit.

export interface paths {
  '/v1/messages': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Messages, newest first */
    get: operations['listMessages'];
    put?: never;
    /**
     * Accept a message
     * @description 202 means that it is on the disk and ends in one state for each recipient.
     */
    post: operations['sendMessage'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/messages/{id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One message with everything known of its deliveries */
    get: operations['getMessage'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/messages/{id}/mail': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The mail as sent, read back from its bytes */
    get: operations['getMail'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/messages/{id}/html': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The HTML part as a page for a sandboxed frame */
    get: operations['getHtml'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/messages/{id}/source': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The mail’s bytes */
    get: operations['getSource'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/messages/batch': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Accept up to 1,000 messages
     * @description The idempotency key stands for the batch: an entry that was accepted under it is not accepted again.
     */
    post: operations['sendBatch'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/returns': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** What came back, newest first */
    get: operations['listReturns'];
    put?: never;
    /** Hand in mails that came back: one mail, or an mbox file */
    post: operations['addReturns'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/returns/{id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One return with what was read out of it */
    get: operations['getReturn'];
    put?: never;
    /**
     * Events of an HTTP provider, as its profile describes them
     * @description Needs no key: the call is signed as the profile says. Answered when it is on the disk; read after.
     */
    post: operations['callBack'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/returns/{id}/source': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Its bytes, as they came */
    get: operations['getReturnSource'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/returns/{id}/match': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Say which delivery a return is about */
    post: operations['matchReturn'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/suppressions': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Addresses that get no more mail, newest first */
    get: operations['listSuppressions'];
    put?: never;
    /** Send no more mail to an address */
    post: operations['addSuppression'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/suppressions/{id}/lift': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Let an address get mail again */
    post: operations['liftSuppression'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/suppressions/export': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** All that are in force, as CSV (RFC 4180) */
    get: operations['exportSuppressions'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/suppressions/import': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Take CSV with a column "address" */
    post: operations['importSuppressions'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/messages/{id}/cancel': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Call a message back, as far as it has not gone */
    post: operations['cancelMessage'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/messages/{id}/reschedule': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Set another time for what has not gone */
    post: operations['rescheduleMessage'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/queue': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** What waits */
    get: operations['getQueue'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/editions': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Editions of the space, newest first */
    get: operations['listEditions'];
    put?: never;
    /**
     * Publish a mail folder
     * @description Contents that the service has need not be sent: the answer names what is missing.
     */
    post: operations['publish'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/editions/use': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Switch to another edition */
    post: operations['useEdition'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/editions/{number}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One edition with its files */
    get: operations['getEdition'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/editions/{number}/diff/{other}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** What differs between two editions */
    get: operations['diffEditions'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/uploads': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Hand in a file to be attached later
     * @description The body is the file, of any type; it is written as it comes in.
     */
    post: operations['addUpload'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/providers': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Providers that are configured */
    get: operations['listProviders'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/providers/{name}/test': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Look into a provider, step by step */
    post: operations['testProvider'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/domains': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Sending domains with their records */
    get: operations['listDomains'];
    put?: never;
    /**
     * Make the keys that sign mail of a domain
     * @description A domain that has keys keeps them.
     */
    post: operations['addDomain'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/events': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Everything that was made public, newest first */
    get: operations['listEvents'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/events/stream': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Events as they come (SSE), from Last-Event-ID on */
    get: operations['followEvents'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/events/filter': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** How many of the last day’s events a filter lets through */
    post: operations['tryFilter'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/events/schemas/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** JSON Schema of the data of events: delivery, alert, test */
    get: operations['getEventSchema'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Where events are sent */
    get: operations['listSubscriptions'];
    put?: never;
    /**
     * Send events to an address
     * @description The address is asked first whether it wants them (CloudEvents webhook specification, 4.1). The secret is in this answer and nowhere else.
     */
    post: operations['addSubscription'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions/{id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One subscription */
    get: operations['getSubscription'];
    put?: never;
    post?: never;
    /** Take it away, with its notifications */
    delete: operations['removeSubscription'];
    options?: never;
    head?: never;
    /** Change its name, filter, shape or batch */
    patch: operations['changeSubscription'];
    trace?: never;
  };
  '/v1/subscriptions/{id}/pause': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send nothing until it is resumed; nothing is lost meanwhile */
    post: operations['pauseSubscription'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions/{id}/resume': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Go on from where it stands; asks the address again where it has not said yes */
    post: operations['resumeSubscription'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions/{id}/test': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send a test at once */
    post: operations['testSubscription'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions/{id}/secret': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** A new secret that signs beside the old one; the next call takes the old one away */
    post: operations['renewSecret'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions/{id}/replay': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send again what became known at a time or later */
    post: operations['replay'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions/{id}/again': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send again what was set aside */
    post: operations['sendAgain'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/subscriptions/{id}/notifications': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** What was sent to it, newest first */
    get: operations['listNotifications'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/figures': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** How many, what became of them, how long it took */
    get: operations['figures'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/figures/csv': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** The same as a table */
    get: operations['figuresAsCsv'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/alerts': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Alerts that fire or have fired, and the rules in force */
    get: operations['listAlerts'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/alerts/rules/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    /** Set a rule of the space, or change it */
    put: operations['setAlertRule'];
    post?: never;
    /** Take a rule away; what holds by it is over */
    delete: operations['removeAlertRule'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/quarantine': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Items that could not be processed, newest first */
    get: operations['listQuarantine'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/quarantine/{id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One item, with its payload */
    get: operations['getQuarantined'];
    put?: never;
    post?: never;
    /** Remove an item; it is not processed */
    delete: operations['dropQuarantined'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/quarantine/{id}/retry': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Put an item back into the queue of its worker */
    post: operations['retryQuarantined'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/search': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Messages, captured mail, returns and suppressions by address, id, reference or subject */
    get: operations['search'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Templates of an edition, with their state */
    get: operations['listTemplates'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/changes': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Changes of a folder that is worked on (SSE) */
    get: operations['followTemplates'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/files': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    /** Write a source, in a local preview that may */
    put: operations['saveFile'];
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/frames/{frame}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** A rendered mail as a page for a sandboxed frame */
    get: operations['getFrame'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/frames/{frame}/html': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Its HTML as it is sent */
    get: operations['getFrameHtml'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/frames/{frame}/source': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Its whole mail */
    get: operations['getFrameSource'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/{name}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One template with its sources, samples and problems */
    get: operations['getTemplate'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/{name}/render': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Render a mail from a sample or from data */
    post: operations['renderTemplate'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/templates/{name}/test': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Send a rendered mail to somebody, to see it arrive */
    post: operations['sendTest'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/editions/{number}/files/{path}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** A file of an edition */
    get: operations['getEditionFile'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Captured mail, newest first */
    get: operations['listCaptured'];
    put?: never;
    post?: never;
    /** Take captured mail away: all, or what fits */
    delete: operations['clearCaptured'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/addresses': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Recipients of captured mail, the latest first */
    get: operations['listCapturedAddresses'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/wait': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /**
     * The newest captured mail that fits, as soon as there is one
     * @description Answered at once where one is there already; 404 when none came in time.
     */
    get: operations['waitForCaptured'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/stream': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Captured mail as it arrives (SSE, Last-Event-ID) */
    get: operations['followCaptured'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/{id}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** One captured mail, read */
    get: operations['getCaptured'];
    put?: never;
    post?: never;
    /** Take one captured mail away */
    delete: operations['removeCaptured'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/{id}/html': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Its HTML as a page for a sandboxed frame */
    get: operations['getCapturedHtml'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/{id}/source': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Its bytes, as they came */
    get: operations['getCapturedSource'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/{id}/attachments/{part}': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** What is attached to it */
    get: operations['getCapturedAttachment'];
    put?: never;
    post?: never;
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/captured/{id}/simulate': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /**
     * Let something become of a captured mail
     * @description Reports and complaints are taken in as if they had come by mail.
     */
    post: operations['simulate'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/operator-notes': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Tell the operator of the space */
    post: operations['tellOperator'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/v1/keys': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    get?: never;
    put?: never;
    /** Make a key for the space */
    post: operations['addKey'];
    delete?: never;
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
  '/console/session': {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    /** Whether one is signed in */
    get: operations['getSession'];
    put?: never;
    /** Sign in to the console */
    post: operations['signIn'];
    /** Sign out */
    delete: operations['signOut'];
    options?: never;
    head?: never;
    patch?: never;
    trace?: never;
  };
}
export type webhooks = Record<string, never>;
export interface components {
  schemas: {
    NewMessage: {
      /** @description Name of a template of the space’s current edition. Left out: the mail itself is given. */
      template?: string;
      subject?: string;
      html?: string;
      text?: string;
      /** @description Of a mail without a template. */
      topic?: string;
      /** @description When to send: an instant, or a clock time in timeZone; up to a year ahead. */
      notBefore?: string;
      /** @description After this it is not sent any more. */
      expiresAt?: string;
      /** @description IANA zone of clock times; the mail folder’s when left out. */
      timeZone?: string;
      /** @description Each recipient gets a delivery of their own. */
      to: components['schemas']['Recipient'][];
      /** @description Data that fits the template’s data schema. */
      data?: {
        [key: string]: unknown;
      };
      cc?: components['schemas']['Recipient'][];
      /** @description Get the mail without standing in it. */
      bcc?: components['schemas']['Recipient'][];
      /** @description Another sender, within the domains of the space. */
      from?: components['schemas']['Recipient'];
      replyTo?: components['schemas']['Recipient'][];
      /** @description Header fields of the app’s own; those that the service writes are refused. */
      headers?: {
        [key: string]: string;
      };
      /** @description What this answers: the id of a message here, or a Message-ID in angle brackets. */
      inReplyTo?: string;
      references?: string[];
      attachments?: components['schemas']['Attachment'][];
      /** @description An iCalendar object (RFC 5545) that clients offer to answer. */
      calendar?: {
        method: string;
        text: string;
      };
      /** @description BCP 47 tag; the mail folder’s own when left out. */
      locale?: string;
      /** @description The app’s own name for what the message is about. */
      reference?: string;
      labels?: {
        [key: string]: string;
      };
    };
    Recipient:
      | string
      | {
          name?: string;
          address: string;
        };
    Attachment: {
      /** @description As the recipient sees it. */
      name?: string;
      /** @description Media type; from the name when left out. */
      type?: string;
      /** @description Bytes in base64. */
      content?: string;
      /** @description A file below assets/ of the mail folder. */
      file?: string;
      /** @description Id of an upload. */
      upload?: string;
      /** @description Fetched when the mail is made; never from a private network. */
      url?: string;
    };
    /**
     * @description What became of a delivery.
     * @enum {string}
     */
    State: 'queued' | 'delayed' | 'accepted' | 'delivered' | 'failed' | 'complained' | 'withheld' | 'expired' | 'canceled';
    NewBatch: {
      /** @description For all entries that name none. */
      template?: string;
      /**
       * @description all: none is taken unless all can be.
       * @default each
       * @enum {string}
       */
      mode: 'all' | 'each';
      /** @description Each as for POST /v1/messages. */
      messages: {
        [key: string]: unknown;
      }[];
    };
    /** @enum {string} */
    ReturnKind: 'delivery-status' | 'complaint' | 'auto-reply' | 'read-receipt' | 'other';
    ReturnMatch: {
      deliveryId: string;
    };
    /** @enum {string} */
    SuppressionReason: 'failed' | 'failed-repeatedly' | 'complained' | 'unsubscribed' | 'added' | 'imported';
    NewSuppression: {
      address: string;
      topic?: string;
      note?: string;
    };
    Lifting: {
      note: string;
    };
    Rescheduling: {
      notBefore: string;
      timeZone?: string;
    };
    NewEdition: {
      /** @description Path to SHA-256 of its contents. */
      manifest: {
        [key: string]: string;
      };
      /**
       * @description Contents in base64 that the service does not have yet.
       * @default {}
       */
      contents: {
        [key: string]: string;
      };
    };
    UseEdition: {
      number: number;
    };
    ProviderTest: {
      /** @description An address that gets a test mail. */
      to?: string;
    };
    NewDomain: {
      name: string;
      /** @description How its mails are signed; both where nothing is said. */
      algorithms?: ('rsa-sha256' | 'ed25519-sha256')[];
    };
    FilterTrial: {
      /** @description Conditions, like: type in [failed, complained] and topic = "bookings". */
      filter: string;
    };
    NewSubscription: {
      /** Format: uri */
      url: string;
      name?: string;
      /**
       * @description Conditions, like: type in [failed, complained] and topic = "bookings".
       * @default
       */
      filter: string;
      /**
       * @description Header fields that go with each notification; kept sealed.
       * @default {}
       */
      headers: {
        [key: string]: string;
      };
      /** @description A JSON template in place of the event: {"text": "{{ event.data.diagnostic }}"}. */
      shape?: unknown;
      /**
       * @description Events in one notification at most.
       * @default 1
       */
      batch: number;
      /**
       * @description Whether the consumer must say that it wants this; false needs the scope admin.
       * @default true
       */
      handshake: boolean;
    };
    SubscriptionChange: {
      name?: string;
      /** @description Conditions, like: type in [failed, complained] and topic = "bookings". */
      filter?: string;
      shape?: unknown;
      batch?: number;
    };
    Replay: {
      /** Format: date-time */
      since: string;
    };
    Again: {
      /** @description Which of those set aside; all when left out. */
      notifications?: string[];
    };
    NewAlertRule: {
      /**
       * @description Kinds of events that it counts.
       * @default [
       *       "failed"
       *     ]
       */
      of: (
        | 'accepted'
        | 'delayed'
        | 'relayed'
        | 'delivered'
        | 'failed'
        | 'complained'
        | 'withheld'
        | 'expired'
        | 'canceled'
        | 'opened'
        | 'clicked'
        | 'unsubscribed'
        | 'alert-firing'
        | 'alert-resolved'
        | 'test'
      )[];
      /**
       * @description Only these of them, and of the hand-overs they are compared with: a filter.
       * @default
       */
      where: string;
      /**
       * @description Each value of this field is looked at on its own.
       * @enum {string}
       */
      by?: 'topic' | 'template' | 'provider' | 'domain' | 'cause';
      /** @description Fires above so many per cent of the hand-overs of the same minutes, … */
      percent?: number;
      /** @description … or above so many events, … */
      count?: number;
      /** @description … or when the oldest due mail has waited so long. */
      queueSeconds?: number;
      /** @default 15 */
      minutes: number;
      /**
       * @description Says nothing below so many events.
       * @default 5
       */
      least: number;
    };
    SaveFile: {
      path: string;
      text: string;
      /** @description Its text before; a file that has changed meanwhile is not overwritten. */
      was: string;
    };
    RenderWanted: {
      edition?: number;
      sample?: string;
      data?: unknown;
      /** @description BCP 47 tag; the mail folder’s own when left out. */
      locale?: string;
      /** @description Texts that stand in for files of the folder. */
      edits?: {
        [key: string]: string;
      };
    };
    TestMail: {
      edition?: number;
      sample?: string;
      data?: unknown;
      /** @description BCP 47 tag; the mail folder’s own when left out. */
      locale?: string;
      /** @description Texts that stand in for files of the folder. */
      edits?: {
        [key: string]: string;
      };
      to: string;
      by: string;
    };
    Simulation: {
      /** @enum {string} */
      fate: 'delivered' | 'delayed' | 'bounced' | 'complained' | 'opened' | 'clicked';
      /** @description Why it bounced or waits. */
      cause?: components['schemas']['Cause'];
      /** @description The link that was clicked. */
      link?: string;
    };
    /**
     * @description Why a delivery failed or waits.
     * @enum {string}
     */
    Cause:
      | 'mailbox-unknown'
      | 'mailbox-disabled'
      | 'mailbox-full'
      | 'domain-unknown'
      | 'unroutable'
      | 'address-syntax'
      | 'policy'
      | 'reputation'
      | 'content'
      | 'authentication'
      | 'too-large'
      | 'rate-or-greylist'
      | 'unreachable'
      | 'expired'
      | 'loop'
      | 'system'
      | 'other';
    OperatorNote: {
      subject: string;
      text: string;
    };
    NewKey: {
      name: string;
      scopes: ('send' | 'read' | 'write' | 'admin')[];
    };
    SignIn: {
      secret?: string;
      token?: string;
    };
    MessageSummary: {
      id: string;
      /** Format: date-time */
      createdAt: string;
      template: string;
      edition: number;
      /** @description The locale that the mail is in. */
      locale: string;
      /** @description The locale that was asked for, where the template is not offered in it. */
      localeAsked?: string;
      topic?: string;
      subject: string;
      from: components['schemas']['Mailbox'];
      to: components['schemas']['Mailbox'][];
      cc?: components['schemas']['Mailbox'][];
      attachments?: {
        name: string;
        type: string;
        size?: number;
      }[];
      reference?: string;
      labels: {
        [key: string]: string;
      };
      deliveries: components['schemas']['DeliverySummary'][];
    };
    Mailbox: {
      name: string;
      address: string;
    };
    DeliverySummary: {
      id: string;
      address: string;
      state: components['schemas']['State'];
      cause?: components['schemas']['Cause'];
    };
    /** @description RFC 9457, with all faults at once. */
    Problem: {
      type: string;
      title: string;
      status: number;
      detail?: string;
      hint?: string;
      problems?: {
        path: string;
        message: string;
        hint?: string;
      }[];
    };
    MessageList: {
      messages: components['schemas']['MessageSummary'][];
      /** @description Give it as cursor to get the next page. */
      nextCursor?: string;
      /** @description True when the look ended before the page was full: older messages may fit too; go on with nextCursor. */
      partial?: boolean;
    };
    Message: {
      id: string;
      /** Format: date-time */
      createdAt: string;
      template: string;
      edition: number;
      /** @description The locale that the mail is in. */
      locale: string;
      /** @description The locale that was asked for, where the template is not offered in it. */
      localeAsked?: string;
      topic?: string;
      subject: string;
      from: components['schemas']['Mailbox'];
      to: components['schemas']['Mailbox'][];
      cc?: components['schemas']['Mailbox'][];
      attachments?: {
        name: string;
        type: string;
        size?: number;
      }[];
      reference?: string;
      labels: {
        [key: string]: string;
      };
      data: unknown;
      deliveries: components['schemas']['Delivery'][];
    };
    Delivery: {
      id: string;
      address: string;
      /** @description Whom the app meant, where the space’s rules sent it elsewhere. */
      intended?: string;
      state: components['schemas']['State'];
      cause?: components['schemas']['Cause'];
      /** @description What became of it, in words. */
      sentence: string;
      /** @description What to do about it. */
      advice?: string;
      /** Format: date-time */
      nextAttemptAt?: string;
      attempts: components['schemas']['Attempt'][];
      facts: components['schemas']['Fact'][];
    };
    Attempt: {
      number: number;
      provider: string;
      /** Format: date-time */
      startedAt: string;
      /** Format: date-time */
      endedAt?: string;
      /**
       * @description Absent while it is under way.
       * @enum {string}
       */
      outcome?: 'accepted' | 'refused' | 'deferred' | 'trouble' | 'uncertain';
      phase?: string;
      replyCode?: number;
      /** @description Enhanced status code (RFC 3463). */
      status?: string;
      diagnostic?: string;
      /** @description What the provider calls the mail. */
      providerId?: string;
    };
    Fact: {
      /** @enum {string} */
      kind:
        | 'accepted'
        | 'delayed'
        | 'relayed'
        | 'delivered'
        | 'failed'
        | 'complained'
        | 'withheld'
        | 'expired'
        | 'canceled'
        | 'opened'
        | 'clicked'
        | 'unsubscribed';
      /** @enum {string} */
      source: 'attempt' | 'return' | 'service';
      /** Format: date-time */
      at: string;
      cause?: components['schemas']['Cause'];
      status?: string;
      replyCode?: number;
      diagnostic?: string;
      returnId?: string;
    };
    Mail: {
      subject: string;
      headers: {
        name: string;
        value: string;
      }[];
      html: string;
      text: string;
      /** @description Bytes of the whole mail. */
      size: number;
    };
    Batch: {
      accepted: number;
      refused: number;
      results: {
        index: number;
        id?: string;
        problems?: {
          path: string;
          message: string;
          hint?: string;
        }[];
      }[];
    };
    ReturnsTaken: {
      returns: {
        id: string;
        kind: components['schemas']['ReturnKind'];
        deliveryId?: string;
        repeated: boolean;
      }[];
    };
    ReturnList: {
      returns: components['schemas']['Return'][];
      nextCursor?: string;
    };
    Return: {
      id: string;
      /** Format: date-time */
      receivedAt: string;
      /** @enum {string} */
      source: 'mail' | 'upload' | 'callback';
      provider?: string;
      kind: components['schemas']['ReturnKind'];
      matched: boolean;
      deliveryId?: string;
      /** @description The message of that delivery. */
      messageId?: string;
      from?: string;
      subject?: string;
      envelopeTo?: string;
      originalMessageId?: string;
      feedbackType?: string;
      problem?: string;
      recipients: components['schemas']['RecipientReport'][];
    };
    RecipientReport: {
      address: string;
      /** @enum {string} */
      action: 'failed' | 'delayed' | 'delivered' | 'relayed' | 'expanded';
      status?: string;
      replyCode?: number;
      cause: components['schemas']['Cause'];
      /** @description The words or the code that told the cause. */
      evidence: string;
      /** @enum {string} */
      confidence: 'sure' | 'likely' | 'guess';
      permanent: boolean;
      diagnostic?: string;
    };
    CallTaken: {
      events: number;
    };
    SuppressionList: {
      suppressions: components['schemas']['Suppression'][];
      nextCursor?: string;
    };
    Suppression: {
      id: string;
      address: string;
      /** @description Only mail of this topic; left out: none at all. */
      topic?: string;
      reason: components['schemas']['SuppressionReason'];
      cause?: components['schemas']['Cause'];
      sentence: string;
      evidence?: string;
      deliveryId?: string;
      note?: string;
      /** Format: date-time */
      createdAt: string;
      /** Format: date-time */
      liftedAt?: string;
      liftNote?: string;
    };
    SuppressionImport: {
      added: number;
      known: number;
      refused: number;
      /** @description Of every line of the file, what became of it. */
      lines: {
        line: number;
        address?: string;
        /** @enum {string} */
        result: 'added' | 'known' | 'refused';
        problem?: string;
      }[];
    };
    Change: {
      /** @description Deliveries that were changed. */
      changed: string[];
      /** @description Deliveries for which it came too late. */
      late: string[];
    };
    Queue: {
      waiting: number;
      due: number;
      /** Format: date-time */
      oldest?: string;
      lines: {
        /** @enum {string} */
        priority: 'essential' | 'optional';
        topic?: string;
        state: string;
        waiting: number;
        due: number;
        /** Format: date-time */
        oldest: string;
      }[];
      lastHour: {
        provider: string;
        outcome: string;
        attempts: number;
      }[];
    };
    EditionList: {
      editions: components['schemas']['Edition'][];
    };
    Edition: {
      number: number;
      hash: string;
      /** Format: date-time */
      createdAt: string;
      files: number;
      inUse: boolean;
    };
    Publication: {
      missing: string[];
      edition?: components['schemas']['Edition'];
      changes: components['schemas']['FileChange'][];
    };
    FileChange: {
      path: string;
      /** @enum {string} */
      change: 'added' | 'changed' | 'removed';
    };
    EditionDetail: {
      number: number;
      hash: string;
      /** Format: date-time */
      createdAt: string;
      files: number;
      inUse: boolean;
      manifest: {
        [key: string]: string;
      };
    };
    EditionDiff: {
      changes: components['schemas']['FileChange'][];
    };
    Upload: {
      id: string;
      name: string;
      type: string;
      size: number;
      sha256: string;
    };
    ProviderList: {
      providers: components['schemas']['Provider'][];
    };
    Provider: {
      name: string;
      /** @enum {string} */
      kind: 'smtp' | 'http' | 'capture' | 'file' | 'log';
      where: string;
      /** @enum {string} */
      state: 'working' | 'resting' | 'paused';
      /** Format: date-time */
      until?: string;
    };
    ProviderReport: {
      name: string;
      kind: string;
      where: string;
      ok: boolean;
      findings: {
        step: string;
        ok: boolean;
        milliseconds: number;
        detail: string;
        hint?: string;
      }[];
    };
    DomainList: {
      domains: components['schemas']['Domain'][];
    };
    Domain: {
      name: string;
      /** @description To be published in the DNS. */
      records: {
        /** @enum {string} */
        type: 'TXT';
        name: string;
        text: string;
      }[];
    };
    EventList: {
      events: components['schemas']['CloudEvent'][];
      nextCursor?: string;
    };
    CloudEvent: {
      /** @constant */
      specversion: '1.0';
      id: string;
      source: string;
      type: string;
      subject?: string;
      /** Format: date-time */
      time: string;
      /** @constant */
      datacontenttype: 'application/json';
      dataschema: string;
      partitionkey?: string;
      data: {
        [key: string]: unknown;
      };
    };
    FilterTried: {
      /** @description Events of the last day that were looked at. */
      looked: number;
      passed: number;
      /** @description Those that pass, by kind. */
      kinds: {
        [key: string]: number;
      };
    };
    SubscriptionList: {
      subscriptions: components['schemas']['Subscription'][];
    };
    Subscription: {
      id: string;
      name: string;
      url: string;
      filter: string;
      shape?: unknown;
      batch: number;
      /** @enum {string} */
      state: 'unproven' | 'active' | 'paused' | 'gone';
      /** @description Why it is in this state. */
      reason?: string;
      /**
       * Format: date-time
       * @description The consumer fails, and is left alone until then.
       */
      restingUntil?: string;
      /** Format: date-time */
      createdAt: string;
      /** @description Events that were not looked at yet. */
      behind: number;
      waiting: number;
      delivered: number;
      setAside: number;
      /** @description What signs; shown once, when it is made. */
      secret?: string;
    };
    SubscriptionTested: {
      ok: boolean;
      status?: number;
      problem?: string;
      milliseconds: number;
    };
    AgainMade: {
      count: number;
    };
    NotificationList: {
      notifications: components['schemas']['Notification'][];
      nextCursor?: string;
    };
    Notification: {
      id: string;
      /** @enum {string} */
      state: 'waiting' | 'delivered' | 'set-aside';
      eventId: string;
      type: string;
      deliveryId?: string;
      messageId?: string;
      address?: string;
      attempts: number;
      /** Format: date-time */
      lastAt?: string;
      /** Format: date-time */
      nextAt?: string;
      status?: number;
      problem?: string;
      milliseconds?: number;
    };
    Figures: {
      /** Format: date-time */
      from: string;
      /** Format: date-time */
      to: string;
      /** @enum {string} */
      grain: 'hour' | 'day';
      total: components['schemas']['Counts'];
      /** @description The same for as long a time before. */
      before: components['schemas']['Counts'];
      series: {
        /** Format: date-time */
        at: string;
        states: {
          [key: string]: number;
        };
      }[];
      by?: {
        value: string;
        counts: components['schemas']['Counts'];
      }[];
    };
    Counts: {
      /** @description Deliveries of which something is known. */
      asked: number;
      states: {
        [key: string]: number;
      };
      opened: number;
      clicked: number;
      /** @description Milliseconds. */
      toAccepted: {
        median?: number;
        p95?: number;
      };
      /** @description Milliseconds. */
      toDelivered: {
        median?: number;
        p95?: number;
      };
    };
    AlertList: {
      alerts: components['schemas']['Alert'][];
      rules: components['schemas']['AlertRule'][];
    };
    Alert: {
      id: string;
      rule: string;
      group?: string;
      /** Format: date-time */
      since: string;
      /** Format: date-time */
      resolvedAt?: string;
      value: number;
      /** @description What was found when it began, in a sentence. */
      text: string;
    };
    AlertRule: {
      name: string;
      /**
       * @description Where it is written down; that of the configuration is changed there.
       * @enum {string}
       */
      from: 'configuration' | 'service';
      of: (
        | 'accepted'
        | 'delayed'
        | 'relayed'
        | 'delivered'
        | 'failed'
        | 'complained'
        | 'withheld'
        | 'expired'
        | 'canceled'
        | 'opened'
        | 'clicked'
        | 'unsubscribed'
        | 'alert-firing'
        | 'alert-resolved'
        | 'test'
      )[];
      where: string;
      by?: string;
      percent?: number;
      count?: number;
      queueSeconds?: number;
      minutes: number;
      least: number;
    };
    QuarantineList: {
      items: components['schemas']['QuarantinedItem'][];
      nextCursor?: string;
    };
    QuarantinedItem: {
      id: string;
      /** @description Whose item it is: queue, callbacks, returns, notifications, figures, alerts, … */
      worker: string;
      /** @description Missing where nobody knows whose it is; such items are shown to the operator only. */
      space?: string;
      title: string;
      /** @description Why it could not be processed. */
      error: string;
      /** Format: date-time */
      quarantinedAt: string;
    };
    QuarantinedItemFull: {
      id: string;
      /** @description Whose item it is: queue, callbacks, returns, notifications, figures, alerts, … */
      worker: string;
      /** @description Missing where nobody knows whose it is; such items are shown to the operator only. */
      space?: string;
      title: string;
      /** @description Why it could not be processed. */
      error: string;
      /** Format: date-time */
      quarantinedAt: string;
      stack: string;
      /** @description What is needed to try it again. */
      payload: unknown;
    };
    SearchResult: {
      hits: {
        /** @enum {string} */
        kind: 'message' | 'captured' | 'return' | 'suppression';
        id: string;
        address?: string;
        title: string;
        state?: components['schemas']['State'];
        /** Format: date-time */
        at: string;
      }[];
      /** @description Of so many of the newest messages the subjects were looked through. */
      subjectsOf: number;
    };
    TemplateList: {
      /** @description The edition they stand in. */
      edition?: number;
      /** @description The folder on the disk, in a local preview. */
      folder?: string;
      editable: boolean;
      /** @description What a test can be sent by. */
      testBy: string[];
      /** @description Of what the templates share. */
      problems: components['schemas']['SourceProblem'][];
      templates: components['schemas']['TemplateSummary'][];
    };
    SourceProblem: {
      file: string;
      line: number;
      column: number;
      code: string;
      /** @enum {string} */
      severity: 'error' | 'warning' | 'advice';
      message: string;
      hint?: string;
    };
    TemplateSummary: {
      name: string;
      /** @description Whether it was looked at already; in a large folder that takes a moment. */
      checked: boolean;
      topic?: string;
      /** @enum {string} */
      kind?: 'md' | 'html';
      locales: string[];
      /** @description Locales that the folder has and this template does not. */
      untranslated: string[];
      samples: string[];
      errors: number;
      warnings: number;
      advice: number;
    };
    TemplateDetail: {
      name: string;
      /** @description Whether it was looked at already; in a large folder that takes a moment. */
      checked: boolean;
      topic?: string;
      /** @enum {string} */
      kind?: 'md' | 'html';
      locales: string[];
      /** @description Locales that the folder has and this template does not. */
      untranslated: string[];
      samples: string[];
      errors: number;
      warnings: number;
      advice: number;
      edition?: number;
      editable: boolean;
      testBy: string[];
      problems: components['schemas']['SourceProblem'][];
      files: {
        path: string;
        text: string;
        /** @enum {string} */
        role: 'source' | 'text' | 'schema' | 'sample' | 'shared';
      }[];
      /** @description Data of the samples, by name. */
      data: {
        [key: string]: unknown;
      };
      /** @description JSON Schema of the data. */
      schema: unknown;
    };
    Rendered: {
      mail?: components['schemas']['RenderedMail'];
      dataProblems: {
        path: string;
        message: string;
        hint?: string;
      }[];
      problems: components['schemas']['SourceProblem'][];
      /** @description What it took. */
      milliseconds: number;
    };
    RenderedMail: {
      /** @description Where its HTML is shown: /v1/templates/frames/{frame}. */
      frame: string;
      locale: string;
      subject: string;
      preview: string;
      text: string;
      htmlBytes: number;
      /** @description Of the whole mail. */
      bytes: number;
      /** @description After so many bytes of HTML some webmail cuts. */
      clipLimit: number;
      links: {
        text: string;
        href: string;
      }[];
    };
    TestMailMade: {
      detail: string;
      capturedId?: string;
    };
    CapturedList: {
      captured: components['schemas']['CapturedSummary'][];
      nextCursor?: string;
    };
    CapturedSummary: {
      id: string;
      /** Format: date-time */
      receivedAt: string;
      /** @description The recipient of the envelope. */
      to: string;
      from: string;
      subject: string;
      /** @description Bytes of the whole mail. */
      size: number;
      attachments: number;
      /** @description The likeliest one-time code in it. */
      code?: string;
      /** @description The message it was asked for by; a test has none. */
      messageId?: string;
      deliveryId?: string;
    };
    CapturedCleared: {
      removed: number;
    };
    CapturedAddresses: {
      addresses: {
        address: string;
        mails: number;
        /** Format: date-time */
        latest: string;
      }[];
    };
    CapturedMail: {
      id: string;
      /** Format: date-time */
      receivedAt: string;
      /** @description The recipient of the envelope. */
      to: string;
      from: string;
      subject: string;
      /** @description Bytes of the whole mail. */
      size: number;
      attachments: number;
      /** @description The likeliest one-time code in it. */
      code?: string;
      /** @description The message it was asked for by; a test has none. */
      messageId?: string;
      deliveryId?: string;
      headers: {
        name: string;
        value: string;
      }[];
      text: string;
      html: string;
      /** @description In the order of reading. */
      links: {
        text: string;
        href: string;
      }[];
      /** @description One-time codes, the likeliest first. */
      codes: string[];
      /** @description What is attached; inline: the HTML shows it. */
      files: {
        part: number;
        name: string;
        type: string;
        size: number;
        inline: boolean;
      }[];
    };
    OperatorNoteMade: {
      id: string;
    };
    KeyMade: {
      id: string;
      name: string;
      scopes: ('send' | 'read' | 'write' | 'admin')[];
      /** @description Shown once; kept as a hash. */
      key: string;
    };
    SpaceList: {
      spaces: components['schemas']['Space'][];
      /** @description In a local preview: the mail folder that is shown. */
      folder?: string;
    };
    Space: {
      name: string;
      /** @enum {string} */
      mode: 'deliver' | 'capture';
      /** @description Put before or after every subject. */
      mark?: string;
      /** @description Who may get mail; everybody when absent. */
      allowed?: string[];
      /** @description Where mail for everybody else goes; it is captured when absent. */
      redirectTo?: string;
      /** @description Gets a copy of every mail. */
      archive?: string;
      /** @description host:port where any app hands mail in by SMTP, without a key. */
      submission?: string;
    };
  };
  responses: never;
  parameters: never;
  requestBodies: never;
  headers: never;
  pathItems: never;
}
export type $defs = Record<string, never>;
export interface operations {
  listMessages: {
    parameters: {
      query?: {
        limit?: number;
        cursor?: string;
        state?: components['schemas']['State'];
        address?: string;
        template?: string;
        reference?: string;
        /** @description Asked for at this time or later. */
        from?: string;
        /** @description Asked for before this time. */
        to?: string;
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MessageList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  sendMessage: {
    parameters: {
      query?: never;
      header?: {
        'Idempotency-Key'?: string;
      };
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewMessage'];
      };
    };
    responses: {
      /** @description Accepted. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['MessageSummary'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getMessage: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The message. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Message'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getMail: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The mail. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Mail'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getHtml: {
    parameters: {
      query?: {
        /** @description Whether pictures from other hosts are loaded. */
        remote?: 'yes' | 'no';
        space?: string;
      };
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description HTML under a policy that lets nothing run. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/html': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getSource: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description RFC 5322 bytes. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'message/rfc822': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  sendBatch: {
    parameters: {
      query?: never;
      header?: {
        'Idempotency-Key'?: string;
      };
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewBatch'];
      };
    };
    responses: {
      /** @description In the mode `each`: none could be taken. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Batch'];
        };
      };
      /** @description What became of each. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Batch'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listReturns: {
    parameters: {
      query?: {
        limit?: number;
        cursor?: string;
        space?: string;
        kind?: components['schemas']['ReturnKind'];
        matched?: 'yes' | 'no';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ReturnList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  addReturns: {
    parameters: {
      query?: {
        /** @description The address that it was sent to. */
        envelopeTo?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'message/rfc822': string;
        'application/mbox': string;
      };
    };
    responses: {
      /** @description What they are. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ReturnsTaken'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getReturn: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The return. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Return'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  callBack: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Here: the name of the provider. */
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': unknown;
      };
    };
    responses: {
      /** @description How many events were taken. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CallTaken'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getReturnSource: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A mail, or the event of a callback. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'message/rfc822': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  matchReturn: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['ReturnMatch'];
      };
    };
    responses: {
      /** @description The return. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Return'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listSuppressions: {
    parameters: {
      query?: {
        limit?: number;
        cursor?: string;
        space?: string;
        address?: string;
        topic?: string;
        reason?: components['schemas']['SuppressionReason'];
        lifted?: 'yes' | 'no';
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SuppressionList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  addSuppression: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewSuppression'];
      };
    };
    responses: {
      /** @description The suppression. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Suppression'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  liftSuppression: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Lifting'];
      };
    };
    responses: {
      /** @description The suppression. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Suppression'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  exportSuppressions: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description CSV. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/csv': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  importSuppressions: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'text/csv': string;
      };
    };
    responses: {
      /** @description What became of each line. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SuppressionImport'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  cancelMessage: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description What could be called back. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Change'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  rescheduleMessage: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description The message’s id. */
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Rescheduling'];
      };
    };
    responses: {
      /** @description What was changed. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Change'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getQueue: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description By topic and state. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Queue'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listEditions: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description All of them. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['EditionList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  publish: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewEdition'];
      };
    };
    responses: {
      /** @description Nothing differs, or contents are missing. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Publication'];
        };
      };
      /** @description A new edition is in use. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Publication'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  useEdition: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['UseEdition'];
      };
    };
    responses: {
      /** @description It is in use. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Edition'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getEdition: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        number: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The edition. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['EditionDetail'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  diffEditions: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        number: string;
        other: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description By file. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['EditionDiff'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  addUpload: {
    parameters: {
      query: {
        name: string;
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/octet-stream': string;
      };
    };
    responses: {
      /** @description Kept. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Upload'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listProviders: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description All of them. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ProviderList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  testProvider: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: {
      content: {
        'application/json': components['schemas']['ProviderTest'];
      };
    };
    responses: {
      /** @description What was found. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['ProviderReport'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listDomains: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description All of them. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['DomainList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  addDomain: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewDomain'];
      };
    };
    responses: {
      /** @description The records to publish. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Domain'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listEvents: {
    parameters: {
      query?: {
        limit?: number;
        cursor?: string;
        filter?: string;
        deliveryId?: string;
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['EventList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  followEvents: {
    parameters: {
      query?: {
        filter?: string;
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Events. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/event-stream': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  tryFilter: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['FilterTrial'];
      };
    };
    responses: {
      /** @description Counts. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['FilterTried'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getEventSchema: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The schema. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/schema+json': unknown;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listSubscriptions: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description All of the space. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SubscriptionList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  addSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewSubscription'];
      };
    };
    responses: {
      /** @description Made. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Subscription'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description As it is now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Subscription'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  removeSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Gone. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  changeSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['SubscriptionChange'];
      };
    };
    responses: {
      /** @description As it is now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Subscription'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  pauseSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description As it is now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Subscription'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  resumeSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description As it is now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Subscription'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  testSubscription: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description As it is now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SubscriptionTested'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  renewSecret: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description As it is now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Subscription'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  replay: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Replay'];
      };
    };
    responses: {
      /** @description As it is now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Subscription'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  sendAgain: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Again'];
      };
    };
    responses: {
      /** @description How many. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['AgainMade'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listNotifications: {
    parameters: {
      query?: {
        limit?: number;
        cursor?: string;
        state?: 'waiting' | 'delivered' | 'set-aside';
        space?: string;
      };
      header?: never;
      path: {
        /** @description Its id or its name. */
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['NotificationList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  figures: {
    parameters: {
      query?: {
        from?: string;
        to?: string;
        by?: 'template' | 'topic' | 'provider' | 'domain' | 'cause';
        grain?: 'hour' | 'day';
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Counts by when deliveries were asked for. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Figures'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  figuresAsCsv: {
    parameters: {
      query?: {
        from?: string;
        to?: string;
        by?: 'template' | 'topic' | 'provider' | 'domain' | 'cause';
        grain?: 'hour' | 'day';
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description CSV. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/csv': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listAlerts: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Those that fire first. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['AlertList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  setAlertRule: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewAlertRule'];
      };
    };
    responses: {
      /** @description As it is in force now. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['AlertRule'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  removeAlertRule: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description It is gone. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listQuarantine: {
    parameters: {
      query?: {
        limit?: number;
        cursor?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['QuarantineList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getQuarantined: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The item. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['QuarantinedItemFull'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  dropQuarantined: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Removed. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  retryQuarantined: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description It is tried again. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['QuarantinedItem'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  search: {
    parameters: {
      query: {
        q: string;
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description What fits. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SearchResult'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listTemplates: {
    parameters: {
      query?: {
        edition?: number;
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description All of them. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TemplateList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  followTemplates: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Events. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/event-stream': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  saveFile: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['SaveFile'];
      };
    };
    responses: {
      /** @description Written. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getFrame: {
    parameters: {
      query?: {
        scheme?: 'light' | 'dark';
        pictures?: 'none' | 'own' | 'all';
        /** @description Without style sheets, as harsh webmail leaves it. */
        stripped?: 'yes' | 'no';
        space?: string;
      };
      header?: never;
      path: {
        frame: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description HTML. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/html': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getFrameHtml: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        frame: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description HTML. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/plain': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getFrameSource: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        frame: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description RFC 5322. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/plain': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getTemplate: {
    parameters: {
      query?: {
        edition?: number;
        space?: string;
      };
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The template. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TemplateDetail'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  renderTemplate: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['RenderWanted'];
      };
    };
    responses: {
      /** @description The mail, or what is wrong. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['Rendered'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  sendTest: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        name: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['TestMail'];
      };
    };
    responses: {
      /** @description Where it went. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['TestMailMade'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getEditionFile: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        number: string;
        path: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Its text. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/plain': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listCaptured: {
    parameters: {
      query?: {
        /** @description The recipient’s address. */
        to?: string;
        /** @description Words that the subject holds, whatever their case. */
        subject?: string;
        /** @description Words that the mail holds anywhere. */
        find?: string;
        space?: string;
        limit?: number;
        cursor?: string;
        /** @description Only what came at this time or later. */
        after?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description A page. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CapturedList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  clearCaptured: {
    parameters: {
      query?: {
        /** @description The recipient’s address. */
        to?: string;
        /** @description Words that the subject holds, whatever their case. */
        subject?: string;
        /** @description Words that the mail holds anywhere. */
        find?: string;
        space?: string;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description How many. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CapturedCleared'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  listCapturedAddresses: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Up to 500. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CapturedAddresses'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  waitForCaptured: {
    parameters: {
      query?: {
        /** @description The recipient’s address. */
        to?: string;
        /** @description Words that the subject holds, whatever their case. */
        subject?: string;
        /** @description Words that the mail holds anywhere. */
        find?: string;
        space?: string;
        /** @description Only what came at this time or later. */
        after?: string;
        /** @description How long to wait. */
        seconds?: number;
      };
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The mail. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CapturedMail'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  followCaptured: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Events "captured". */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/event-stream': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getCaptured: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description The mail. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CapturedMail'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  removeCaptured: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Done. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CapturedCleared'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getCapturedHtml: {
    parameters: {
      query?: {
        remote?: 'yes' | 'no';
        space?: string;
      };
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description HTML. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'text/html': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getCapturedSource: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description RFC 5322. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'message/rfc822': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getCapturedAttachment: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
        part: string;
      };
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Its bytes. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/octet-stream': string;
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  simulate: {
    parameters: {
      query?: never;
      header?: never;
      path: {
        id: string;
      };
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['Simulation'];
      };
    };
    responses: {
      /** @description It has happened. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['CapturedSummary'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  tellOperator: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['OperatorNote'];
      };
    };
    responses: {
      /** @description A message is on its way. */
      202: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['OperatorNoteMade'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  addKey: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['NewKey'];
      };
    };
    responses: {
      /** @description The key; its text is shown here only. */
      201: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['KeyMade'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  getSession: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Signed in. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SpaceList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  signIn: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody: {
      content: {
        'application/json': components['schemas']['SignIn'];
      };
    };
    responses: {
      /** @description Signed in. */
      200: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/json': components['schemas']['SpaceList'];
        };
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
  signOut: {
    parameters: {
      query?: never;
      header?: never;
      path?: never;
      cookie?: never;
    };
    requestBody?: never;
    responses: {
      /** @description Signed out. */
      204: {
        headers: {
          [name: string]: unknown;
        };
        content?: never;
      };
      /** @description Refused: why, and what to do. */
      default: {
        headers: {
          [name: string]: unknown;
        };
        content: {
          'application/problem+json': components['schemas']['Problem'];
        };
      };
    };
  };
}

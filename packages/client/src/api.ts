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
      /** @description Name of a template of the space’s current edition. */
      template: string;
      /** @description Each recipient gets a delivery of their own. */
      to: components['schemas']['Recipient'][];
      /**
       * @description Data that fits the template’s data schema.
       * @default {}
       */
      data: {
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
    ProviderTest: {
      /** @description An address that gets a test mail. */
      to?: string;
    };
    NewDomain: {
      name: string;
    };
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
      locale: string;
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
    };
    Message: {
      id: string;
      /** Format: date-time */
      createdAt: string;
      template: string;
      edition: number;
      locale: string;
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
      kind: 'accepted' | 'delayed' | 'relayed' | 'delivered' | 'failed' | 'complained' | 'withheld' | 'expired' | 'canceled';
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
    };
    Space: {
      name: string;
      /** @enum {string} */
      mode: 'deliver' | 'capture';
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

// Made by "verbalis types" from the data schemas of the mail folder. Do not edit.

/** Data that each template needs. */
export interface TemplateData {
  'sailing-moved': {
    booking: {
      reference: string;
      name: string;
    };
    sailing: {
      from: string;
      to: string;
      /** Format: date-time. */
      departsAt: string;
      /** Format: date-time. */
      before: string;
    };
  };
  tickets: {
    tickets: {
      from: string;
      to: string;
      /** Format: date-time. */
      departsAt: string;
    }[];
    note?: string;
  };
  'weekly-summary': {
    /** Format: date. */
    from: string;
    sailings: {
      reference: string;
      from: string;
      to: string;
      /** Format: date-time. */
      departsAt: string;
    }[];
  };
  welcome: {
    name: string;
  };
}

/** What each signal carries that a rule is on. */
export interface SignalData {
  'account.opened': {
    account: {
      name: string;
      /** Format: email. */
      address: string;
    };
  };
  'sailing.moved': {
    booking: {
      reference: string;
      name: string;
      /** Format: email. */
      address: string;
    };
    sailing: {
      from: string;
      to: string;
      /** Format: date-time. */
      departsAt: string;
      /** Format: date-time. */
      before: string;
    };
  };
}

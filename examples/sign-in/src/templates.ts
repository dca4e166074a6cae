// Made by "verbalis types" from the data schemas of the mail folder. Do not edit.

/** Data that each template needs. */
export interface TemplateData {
  'sign-in': {
    code: string;
    link: string;
    validMinutes: number;
  };
}

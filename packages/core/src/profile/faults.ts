/** Something in a profile that cannot work, with the setting that contains it. */
export interface ProfileFault {
  /** Within the profile: "answer.words.0.matches". */
  readonly path: string;
  /** A sentence that goes on from the path: "is not a valid JSONPath: …". */
  readonly message: string;
  readonly hint?: string | undefined;
}

/** Collects the faults of a profile, so that all of them are reported together. */
export class ProfileFaults {
  readonly list: ProfileFault[] = [];

  add(path: string, message: string, hint?: string): void {
    this.list.push({ path, message, ...(hint === undefined ? {} : { hint }) });
  }
}

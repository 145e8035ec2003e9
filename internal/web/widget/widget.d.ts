/** Types of <diadrom-delivery>. Answers may have further members, and codes and states may be added. */

export interface Line {
  sku?: string;
  quantity: number;
  [field: string]: unknown;
}

export interface Address {
  country: string;
  region: string;
  city: string;
  postcode: string;
  street: string;
  lat: string;
  lon: string;
}

export interface Held {
  id: string;
  expires: string;
  token: string;
}

export interface Chosen {
  method: string;
  service: string;
  label: string;
  /** A decimal, such as "6.90". */
  total: string;
  tax: string;
  currency: string;
  /** The id of the place to collect at, "" for none. Not signed. */
  point: string;
  days: { min: number; max: number; business: boolean } | null;
  dates: { from: string; to: string; text: string } | null;
  quote: Held;
  request: { to: Partial<Address>; lines: Line[]; coupons: string[]; point?: string; [member: string]: unknown };
  unavailable?: undefined;
}

/** In place of a choice, where no answer came and the page has when-unavailable="allow". */
export interface Unavailable {
  unavailable: true;
}

export type Choice = Chosen | Unavailable;

export type State =
  | "asking" | "chosen" | "choose" | "incomplete" | "nothing" | "refused" | "failed" | "unavailable"
  | (string & {});

export interface Failure {
  /** Of HTTP; 0 where no answer came. */
  status: number;
  /** Of the problem; network or timeout where no answer came. */
  code: string;
  faults: { path: string; code: string; message: string }[];
}

export interface DiadromDelivery extends HTMLElement {
  lines: Line[];
  coupons: string[];
  get address(): Address;
  set address(to: Partial<Address>);
  point: string;
  readonly choice: Choice | null;
  readonly state: State;
  readonly form: HTMLFormElement | null;
  readonly name: string | null;
  readonly validity: ValidityState;
  readonly validationMessage: string;
  checkValidity(): boolean;
  reportValidity(): boolean;
  /** The choice once no answer is waited for. */
  settled(): Promise<Choice | null>;
  /** Asks again, as after a change of the cart. */
  requote(): void;
}

declare global {
  interface HTMLElementTagNameMap {
    "diadrom-delivery": DiadromDelivery;
  }
  interface HTMLElementEventMap {
    "diadrom-choice": CustomEvent<Choice | null>;
    "diadrom-quote": CustomEvent<Record<string, unknown>>;
    "diadrom-error": CustomEvent<Failure>;
  }
}

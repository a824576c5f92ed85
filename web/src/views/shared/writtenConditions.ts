import type { Schemas } from "@/api/client";
import { typedNumber } from "@/forms/numbers";

/** A condition on a property or a site field, as it is being written. */
export interface Written {
  name: string;
  test: string;
  value: string;
}

export const NUMBER_TESTS = ["=", "≠", "<", "≤", ">", "≥"];

type HitMatch = Schemas["HitMatch"];

export const writtenProps = (props: HitMatch["props"]): Written[] =>
  props.map((one) => ({ name: one.key, test: one.test, value: String(one.value) }));

export const writtenFields = (fields: HitMatch["fields"]): Written[] =>
  fields.map((one) => ({ name: one.field, test: one.test, value: one.value }));

export const propsOf = (written: readonly Written[]): HitMatch["props"] =>
  written.map(({ name, test, value }) => ({
    key: name,
    test: test as Schemas["PropTest"]["test"],
    value: NUMBER_TESTS.includes(test) ? typedNumber(value) : value,
  }));

export const fieldsOf = (written: readonly Written[]): HitMatch["fields"] =>
  written.map(({ name, test, value }) => ({ field: name, test: test as Schemas["FieldTest"]["test"], value }));

import { Fragment, type ReactNode } from 'react';
import { FIELDS, textOf, type PlanField } from './fields';
import { TypedField } from './TypedField';

/** Fields whose values are lists, too long for one column. */
const WIDE = ['kept', 'scope/options', 'uses', 'notes', 'banner'];

interface Props {
  kind: keyof typeof FIELDS;
  /** Where the member is in the plan; empty for the site itself. */
  path: string;
  member: object;
  /** Fields that are left out here. */
  without?: readonly string[];
  /** What a field is called here, where that is more than its label. */
  labels?: Readonly<Record<string, string>>;
  /** Choices that depend on the member. */
  choices?: Readonly<Record<string, PlanField['choices']>>;
  /** What stands before a field. */
  before?: Readonly<Record<string, ReactNode>>;
  /** The field that is typed in first. */
  sought?: string;
}

/** All fields of a member of the plan, each typed in place. */
export function PlanFields(props: Props) {
  const { kind, path, member, without = [], labels = {}, choices = {}, before = {}, sought } = props;
  return FIELDS[kind]
    .filter((field) => !without.includes(field.name))
    .map((field) => {
      const given = choices[field.name] ?? (field.choices.length > 0 ? choicesOf(field) : undefined);
      return (
        <Fragment key={field.name}>
          {before[field.name]}
          <TypedField
            wide={WIDE.includes(field.name)}
            path={`${path}/${field.name}`}
            label={labels[field.name] ?? field.label}
            value={textOf(field, member)}
            autoFocus={field.name === sought}
            {...(given ? { choices: given } : {})}
            {...(field.hint ? { hint: field.hint } : {})}
          />
        </Fragment>
      );
    });
}

/** The choices of a field; one that may be empty can be put back to that. */
function choicesOf(field: PlanField): PlanField['choices'] {
  return field.needed ? field.choices : [['', 'not answered'], ...field.choices];
}

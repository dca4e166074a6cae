import { useState } from 'react';
import styled from 'styled-components';
import { Button } from '../parts/basics.js';
import { color, font } from '../style.js';

/** What is used of JSON Schema to make a form; anything else is edited as JSON. */
interface Schema {
  readonly type?: string | readonly string[];
  readonly title?: string;
  readonly description?: string;
  readonly enum?: readonly unknown[];
  readonly const?: unknown;
  readonly format?: string;
  readonly properties?: Readonly<Record<string, Schema>>;
  readonly required?: readonly string[];
  readonly items?: Schema;
  readonly $ref?: string;
  readonly $defs?: Readonly<Record<string, Schema>>;
}

export interface FormProblem {
  readonly path: string;
  readonly message: string;
  readonly hint?: string | undefined;
}

const Group = styled.fieldset`
  margin: 0;
  padding: 0 0 0 12px;
  border: 0;
  border-left: 2px solid ${color.hair};
  display: grid;
  gap: 10px;
  legend {
    padding: 4px 0;
    font-weight: 600;
  }
`;

const Line = styled.div`
  display: grid;
  gap: 2px;
  label {
    font-size: 14px;
    color: ${color.soft};
  }
  input:not([type='checkbox']),
  select,
  textarea {
    font: 15px/22px ${font.sans};
    padding: 4px 8px;
    border: 1px solid ${color.soft};
    border-radius: 4px;
    background: ${color.raised};
    color: ${color.text};
    width: 100%;
  }
  [aria-invalid='true'] {
    border-color: ${color.bad};
    box-shadow: inset 3px 0 0 ${color.bad};
  }
  textarea {
    font: 13px/1.5 ${font.mono};
  }
`;

const Help = styled.span`
  font-size: 13px;
  color: ${color.soft};
`;

const Wrong = styled.span`
  font-size: 14px;
  color: ${color.bad};
  font-weight: 600;
`;

function resolved(schema: Schema, root: Schema): Schema {
  const name = /^#\/\$defs\/(.+)$/.exec(schema.$ref ?? '')?.[1];
  return name === undefined ? schema : (root.$defs?.[name] ?? schema);
}

function typeOf(schema: Schema): string | undefined {
  if (typeof schema.type === 'string') return schema.type;
  const types = schema.type?.filter((text) => text !== 'null') ?? [];
  return types.length === 1 ? types[0] : schema.properties === undefined ? undefined : 'object';
}

/** A beginning for what is not there yet. */
function blank(schema: Schema, root: Schema): unknown {
  const own = resolved(schema, root);
  if (own.const !== undefined) return own.const;
  if (own.enum !== undefined) return own.enum[0];
  switch (typeOf(own)) {
    case 'object':
      return Object.fromEntries((own.required ?? []).map((name) => [name, blank(own.properties?.[name] ?? {}, root)]));
    case 'array':
      return [];
    case 'integer':
    case 'number':
      return 0;
    case 'boolean':
      return false;
    case undefined:
    default:
      return '';
  }
}

interface NodeProps {
  readonly schema: Schema;
  readonly root: Schema;
  readonly value: unknown;
  readonly path: string;
  readonly name: string;
  readonly required: boolean;
  readonly problems: readonly FormProblem[];
  /** Undefined takes it away. */
  readonly onChange: (value: unknown) => void;
}

function Node(props: NodeProps) {
  const { root, value, path, name, required, problems, onChange } = props;
  const schema = resolved(props.schema, root);
  const wrong = problems.filter((problem) => problem.path === path);
  const id = `data-${path === '' ? 'all' : path}`;
  const label = schema.title ?? name;
  const about = (
    <>
      {schema.description !== undefined && <Help id={`${id}-help`}>{schema.description}</Help>}
      {wrong.map((problem) => (
        <Wrong key={problem.message} id={`${id}-wrong`} role="alert">
          {problem.message}
          {problem.hint === undefined ? '' : `. ${problem.hint}`}
        </Wrong>
      ))}
    </>
  );
  const type = typeOf(schema);
  if (value === undefined) {
    return (
      <Line>
        <span>
          <Button $quiet onPress={() => onChange(blank(schema, root))}>{`Add ${label}`}</Button>
        </span>
        {about}
      </Line>
    );
  }
  const away = required ? null : (
    <Button $quiet onPress={() => onChange(undefined)} aria-label={`Leave out ${label}`}>
      Leave out
    </Button>
  );
  if (type === 'object' && typeof value === 'object' && value !== null && !Array.isArray(value) && schema.properties !== undefined) {
    const record = value as Record<string, unknown>;
    const change = (key: string, next: unknown): void => {
      const copy = { ...record };
      if (next === undefined) Reflect.deleteProperty(copy, key);
      else copy[key] = next;
      onChange(copy);
    };
    const names = [...new Set([...Object.keys(schema.properties), ...Object.keys(record)])];
    return (
      <Group>
        {path !== '' && <legend>{label}</legend>}
        {about}
        {names.map((key) => (
          <Node
            key={key}
            {...{ root, problems }}
            schema={schema.properties?.[key] ?? {}}
            value={record[key]}
            path={path === '' ? key : `${path}.${key}`}
            name={key}
            required={schema.required?.includes(key) === true}
            onChange={(next) => change(key, next)}
          />
        ))}
        {away !== null && <span>{away}</span>}
      </Group>
    );
  }
  if (type === 'array' && Array.isArray(value) && schema.items !== undefined) {
    const list = value as unknown[];
    return (
      <Group>
        <legend>{label}</legend>
        {about}
        {list.map((value, i) => (
          <div key={i}>
            <Node
              {...{ root, problems }}
              schema={schema.items ?? {}}
              value={value}
              path={`${path}[${i}]`}
              name={`${label} ${i + 1}`}
              required={false}
              onChange={(next) =>
                onChange(next === undefined ? list.filter((_, k) => k !== i) : list.map((old, k) => (k === i ? next : old)))
              }
            />
          </div>
        ))}
        <span>
          <Button $quiet onPress={() => onChange([...list, blank(schema.items ?? {}, root)])}>{`Add one to ${label}`}</Button> {away}
        </span>
      </Group>
    );
  }
  const shared = {
    id,
    'aria-invalid': wrong.length > 0,
    'aria-describedby':
      [schema.description === undefined ? '' : `${id}-help`, wrong.length > 0 ? `${id}-wrong` : ''].join(' ').trim() || undefined,
  };
  let field;
  if (schema.enum !== undefined)
    field = (
      <select {...shared} value={JSON.stringify(value)} onChange={(event) => onChange(JSON.parse(event.target.value))}>
        {schema.enum.map((value) => (
          <option key={JSON.stringify(value)} value={JSON.stringify(value)}>
            {String(value)}
          </option>
        ))}
      </select>
    );
  else if (type === 'boolean')
    field = (
      <span>
        <input {...shared} type="checkbox" checked={value === true} onChange={(event) => onChange(event.target.checked)} />
      </span>
    );
  else if (type === 'string' && typeof value === 'string')
    field = <input {...shared} value={value} onChange={(event) => onChange(event.target.value)} />;
  else if ((type === 'number' || type === 'integer') && (typeof value === 'number' || typeof value === 'string'))
    field = (
      <input
        {...shared}
        inputMode="decimal"
        value={String(value)}
        // What is no number yet goes on as it is, so that the schema can say so.
        onChange={(event) => onChange(/^-?\d+(?:\.\d+)?$/.test(event.target.value) ? Number(event.target.value) : event.target.value)}
      />
    );
  else field = <JsonField shared={shared} value={value} onChange={onChange} />;
  return (
    <Line>
      <label htmlFor={id}>
        {label}
        {required ? '' : ' (optional)'}
      </label>
      {field}
      {about}
      {away !== null && <span>{away}</span>}
    </Line>
  );
}

/** A value of no simple kind, as JSON. */
function JsonField({
  shared,
  value,
  onChange,
}: {
  readonly shared: Record<string, unknown>;
  readonly value: unknown;
  readonly onChange: (value: unknown) => void;
}) {
  const [text, setText] = useState(() => JSON.stringify(value, null, 2));
  const [wrong, setWrong] = useState(false);
  return (
    <>
      <textarea
        {...shared}
        rows={Math.min(12, text.split('\n').length + 1)}
        aria-invalid={wrong}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          try {
            onChange(JSON.parse(event.target.value));
            setWrong(false);
          } catch {
            setWrong(true);
          }
        }}
      />
      {wrong && <Wrong role="alert">is not valid JSON yet</Wrong>}
    </>
  );
}

/** A form for data, made from its schema; what is wrong stands at its field. */
export function DataForm({
  schema,
  data,
  problems,
  onChange,
}: {
  readonly schema: unknown;
  readonly data: unknown;
  readonly problems: readonly FormProblem[];
  readonly onChange: (data: unknown) => void;
}) {
  const root = (schema ?? {}) as Schema;
  return (
    <form aria-label="Data" onSubmit={(event) => event.preventDefault()}>
      <Node schema={root} root={root} value={data} path="" name="data" required problems={problems} onChange={onChange} />
    </form>
  );
}

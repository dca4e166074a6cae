import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { writeForm, type FormPart } from './form.js';

/** Reads a form by the parser of the platform. */
async function readForm({ type, body }: ReturnType<typeof writeForm>): Promise<[string, string][]> {
  const form = await new Response(new Uint8Array(body), { headers: { 'content-type': type } }).formData();
  const read: [string, string][] = [];
  for (const [name, value] of form)
    read.push([name, typeof value === 'string' ? value : Buffer.from(await value.arrayBuffer()).toString('latin1')]);
  return read;
}

test('texts and files come back as they were, whatever is in them', async () => {
  const text = fc.string({ unit: 'grapheme', minLength: 1 });
  await fc.assert(
    fc.asyncProperty(fc.array(fc.tuple(text, text, fc.uint8Array())), async (entries) => {
      const parts = entries.flatMap(([name, value, bytes]): FormPart[] => [
        { name: `t${name}`, value },
        { name: `f${name}`, file: { name: `${name}.bin`, type: 'application/octet-stream', bytes } },
      ]);
      const read = await readForm(writeForm(parts, 'd1'));
      expect(read.map(([, value]) => value)).toEqual(
        parts.map((part) => ('file' in part ? Buffer.from(part.file.bytes).toString('latin1') : part.value)),
      );
    }),
  );
});

test('equal parts give equal bytes; a boundary that occurs in a part is not used', () => {
  const parts = [{ name: 'a', value: 'x' }];
  const first = writeForm(parts, 'd1');
  expect(writeForm(parts, 'd1').body.equals(first.body)).toBe(true);
  const boundary = first.type.split('=')[1]!;
  const other = writeForm([{ name: 'a', value: `--${boundary}--` }], 'd1');
  expect(other.type).not.toContain(boundary);
});

test('a name cannot end its part', async () => {
  const form = writeForm([{ name: 'a"\r\n\r\nb', value: 'x' }], 'd1');
  expect(await readForm(form)).toEqual([['a"\r\n\r\nb', 'x']]);
});

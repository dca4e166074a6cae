import type { SourceProblem } from '@verbalis/client';
import { useState } from 'react';
import { Button, Fault } from '../parts/basics.js';
import { Choose } from '../parts/choose.js';
import { Editor, type Jump } from '../parts/editor.js';
import { useSession } from '../session.js';
import { Bar } from './pane.js';
import { Problems } from './problems.js';
import type { Work } from './work.js';

/** The template's files, to be read and tried out, and to be saved where there is a folder; with what is wrong in them. */
export function SourcePane({ work }: { readonly work: Work }) {
  const { folder } = useSession();
  const [jump, setJump] = useState<Jump>();
  const { template, set, file, editing, problems } = work;
  const { name, files, editable } = template;
  const { edits, fault, change, revert, save } = editing;
  const isEdited = file !== undefined && edits[file.path] !== undefined;
  const jumpTo = ({ file: path, line, column }: SourceProblem): void => {
    if (files.some((other) => other.path === path)) set({ file: path });
    setJump((before) => ({ line, column, n: (before?.n ?? 0) + 1 }));
  };
  return (
    <section aria-label="Source">
      <Bar>
        <Choose
          label="File"
          value={file?.path ?? ''}
          options={files.map(({ path }) => [path, `${path.replace(`templates/${name}/`, '')}${edits[path] === undefined ? '' : ' •'}`])}
          onChange={(value) => set({ file: value })}
        />
        {isEdited && editable && <Button onPress={() => void save()}>Save</Button>}
        {isEdited && (
          <Button $quiet onPress={() => revert(file.path)}>
            Take back
          </Button>
        )}
        {isEdited && !editable && <span>Tried here only, saved nowhere.</span>}
      </Bar>
      {fault !== undefined && <Fault error={fault} />}
      {file !== undefined && (
        <Editor
          key={file.path}
          path={file.path}
          text={edits[file.path] ?? file.text}
          problems={problems}
          readOnly={folder === undefined}
          jump={jump}
          onChange={change}
          onSave={() => void save()}
        />
      )}
      <h2 id="problems" style={{ marginTop: 20 }}>
        Problems and suggestions
      </h2>
      {problems.length === 0 ? <p>Nothing to say.</p> : <Problems problems={problems} onJump={jumpTo} />}
    </section>
  );
}

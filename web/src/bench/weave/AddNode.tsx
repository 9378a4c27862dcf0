import type { NodeSchema } from '../../api/types';
import { Choice } from '../find/Choice';

/** The types that all typed words fit; the one that is called so comes first, then those whose name begins so, then those whose name holds it. */
export function foundNodes(schemas: readonly NodeSchema[], text: string): NodeSchema[] {
  const typed = text.trim().toLowerCase();
  const words = typed.split(/\s+/).filter(Boolean);
  const fits = (schema: NodeSchema) => words.every((word) => `${schema.title} ${schema.group} ${schema.help}`.toLowerCase().includes(word));
  const rank = ({ title }: NodeSchema) => {
    const name = title.toLowerCase();
    return name === typed ? 0 : name.startsWith(typed) ? 1 : name.includes(typed) ? 2 : 3;
  };
  return schemas.filter(fits).sort((a, b) => rank(a) - rank(b));
}

/** Adds a node by typing its name. */
export function AddNode({ schemas, onAdd, onClose }: { schemas: NodeSchema[]; onAdd: (schema: NodeSchema) => void; onClose: () => void }) {
  return (
    <div className="add-node" role="dialog" aria-label="Add a node">
      <Choice
        id="add"
        label="Node to add"
        placeholder="type a node's name"
        all={schemas}
        fitting={foundNodes}
        nameOf={(schema) => schema.title}
        row={(schema) => (
          <>
            <strong>{schema.title}</strong>
            <span className="soft add-group">{schema.group}</span>
            <span className="soft add-help">{schema.help}</span>
          </>
        )}
        none={schemas.length === 0 ? 'The nodes are on their way.' : 'No node is called that.'}
        onChoose={onAdd}
        onClose={onClose}
      />
    </div>
  );
}

import useAutocomplete from '@mui/material/useAutocomplete';
import { useState, type ReactNode } from 'react';
import './choice.css';

interface Props<T> {
  /** The list is `ID-listbox`, what it holds `ID-option-0` and so on. */
  id: string;
  label: string;
  placeholder: string;
  all: readonly T[];
  /** What typed words fit, the best first. */
  fitting: (all: readonly T[], text: string) => T[];
  nameOf: (item: T) => string;
  row: (item: T) => ReactNode;
  /** Said where nothing fits. */
  none: string;
  onChoose: (item: T) => void;
  onClose: (why: 'blur' | 'escape') => void;
}

/**
 * Choosing by typing: letters narrow the list, Enter takes what is marked. A pointer marks by moving only: what comes to
 * lie under one that rests is not chosen by it.
 */
export function Choice<T>({ id, label, placeholder, all, fitting, nameOf, row, none, onChoose, onClose }: Props<T>) {
  const [text, setText] = useState('');
  const { getRootProps, getInputProps, getListboxProps, getOptionProps, groupedOptions } = useAutocomplete<T>({
    id,
    open: true,
    autoHighlight: true,
    disableListWrap: true,
    options: all,
    value: null,
    inputValue: text,
    filterOptions: () => fitting(all, text),
    getOptionLabel: nameOf,
    onInputChange: (_, typed, why) => why === 'input' && setText(typed),
    onChange: (_, item) => item !== null && onChoose(item),
    onClose: (_, why) => (why === 'blur' || why === 'escape') && onClose(why),
  });
  const found = groupedOptions;
  return (
    <div className="choice" {...getRootProps()}>
      <input {...getInputProps()} className="choice-input" aria-label={label} placeholder={placeholder} autoFocus />
      <ul {...getListboxProps()} className="choice-list" aria-label={label}>
        {found.map((option, index) => {
          const { key, ...props } = getOptionProps({ option, index });
          return (
            <li key={`${key} ${index}`} {...props}>
              {row(option)}
            </li>
          );
        })}
        {found.length === 0 && <li className="soft none">{none}</li>}
      </ul>
    </div>
  );
}

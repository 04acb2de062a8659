import { useEffect, useRef, useState } from "react";

import { Name } from "./Name";

interface Props {
  value: string;
  label: string;
  editing: boolean;
  onEditing: (editing: boolean) => void;
  onChange: (value: string) => void;
  onClick?: () => void;
  className?: string;
  /** Left empty, it has no name of its own any more and is called by what it is. */
  mayBeEmpty?: boolean;
}

/** A name that turns into a field: Enter keeps, Escape leaves it as it was. */
export function EditableName({
  value,
  label,
  editing,
  onEditing,
  onChange,
  onClick,
  className = "",
  mayBeEmpty = false,
}: Props) {
  const [text, setText] = useState(value);
  const input = useRef<HTMLInputElement>(null);
  // Enter keeps and then takes the field away, whose loss of focus would keep once more.
  const open = useRef(false);
  useEffect(() => {
    open.current = editing;
    if (!editing) return;
    setText(value);
    input.current?.focus();
    input.current?.select();
  }, [editing, value]);
  function keep() {
    if (!open.current) return;
    open.current = false;
    onEditing(false);
    const name = text.trim();
    if ((name || mayBeEmpty) && name !== value) onChange(name);
  }
  if (!editing)
    return (
      <span className={`min-w-0 ${className}`} onClick={onClick} onDoubleClick={() => onEditing(true)}>
        <Name text={value} />
      </span>
    );
  return (
    <input
      ref={input}
      aria-label={label}
      maxLength={80}
      className={`${className} w-full min-w-0 rounded-[2px] bg-card`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") {
          open.current = false;
          onEditing(false);
        }
      }}
    />
  );
}

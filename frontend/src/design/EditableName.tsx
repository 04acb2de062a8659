import { useEffect, useRef, useState } from "react";

interface Props {
  value: string;
  label: string;
  editing: boolean;
  onEditing: (editing: boolean) => void;
  onChange: (value: string) => void;
  onClick?: () => void;
  className?: string;
}

/** A name that turns into a field: Enter keeps, Escape leaves it as it was. */
export function EditableName({ value, label, editing, onEditing, onChange, onClick, className = "" }: Props) {
  const [text, setText] = useState(value);
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (!editing) return;
    setText(value);
    input.current?.focus();
    input.current?.select();
  }, [editing, value]);
  function keep() {
    onEditing(false);
    const name = text.trim();
    if (name && name !== value) onChange(name);
  }
  if (!editing)
    return (
      <span className={className} title={value} onClick={onClick} onDoubleClick={() => onEditing(true)}>
        {value}
      </span>
    );
  return (
    <input
      ref={input}
      aria-label={label}
      maxLength={80}
      className={`${className} w-full min-w-0 rounded-[2px] bg-white`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
        if (event.key === "Escape") onEditing(false);
      }}
    />
  );
}

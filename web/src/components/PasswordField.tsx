/** A field for the password that one has. */
export function PasswordField({
  label,
  value,
  onChange,
  className = "block",
  autoFocus,
}: {
  label: string;
  value: string;
  onChange: (password: string) => void;
  className?: string;
  autoFocus?: boolean;
}) {
  return (
    <label className={className}>
      <span className="block text-[13px] text-soft">{label}</span>
      <input
        className="field w-full"
        name="password"
        type="password"
        autoComplete="current-password"
        required
        autoFocus={autoFocus}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </label>
  );
}

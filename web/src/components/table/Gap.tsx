/** The room of rows of a table that are not drawn. */
export function Gap({ height, columns }: { height: number; columns: number }) {
  if (height <= 0) return null;
  return (
    <tr aria-hidden="true" style={{ height }}>
      <td className="p-0!" colSpan={columns} />
    </tr>
  );
}

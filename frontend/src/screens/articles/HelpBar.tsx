/** Between what shares it helps, 95 times in 100: a bar with the share itself on it, on a scale from none to all. */
export function HelpBar({ helped, notHelped, low, high }: { helped: number; notHelped: number; low: number; high: number }) {
  const many = helped + notHelped;
  const share = many === 0 ? null : helped / many;
  const isPoor = share !== null && share < 0.6;
  return (
    <span
      className="relative block h-[18px] min-w-[90px]"
      role="img"
      aria-label={
        share === null
          ? "nobody has said whether it helped"
          : `helped ${helped} of ${many}; between ${Math.round(low * 100)} and ${Math.round(high * 100)} % of readers`
      }
    >
      <span className="absolute inset-x-0 top-[8px] h-[2px] bg-line" />
      <span className="absolute left-1/2 top-[3px] h-[12px] w-px bg-line-2" />
      {share === null ? null : (
        <>
          <span
            className={`absolute top-[4px] h-[10px] rounded-full border ${isPoor ? "border-crown bg-crown-2" : "border-sea bg-sea-2"}`}
            style={{ left: `${low * 100}%`, width: `${Math.max(2, (high - low) * 100)}%` }}
          />
          <span className="absolute top-[3px] h-[12px] w-[12px] -translate-x-1/2 rounded-full bg-ink" style={{ left: `${share * 100}%` }} />
        </>
      )}
    </span>
  );
}

/** The mark of the product. */
export function Compass({ size = 40 }: { size?: number }) {
  return (
    <svg
      width={size}
      height={size * 1.2}
      viewBox="0 0 40 48"
      fill="none"
      stroke="var(--color-ink)"
      strokeLinecap="round"
      aria-hidden="true"
    >
      <path d="M15.2 17.7 A12 12 0 1 0 24.8 17.7" strokeWidth="1.5" />
      <path d="M8 28.8h3.4M28.6 28.8H32M20 40.8v-3.4" strokeWidth="1.5" />
      <path d="M20 3.5 L24 29 L20 26.6 L16 29 Z" fill="var(--color-ink)" stroke="none" />
      <path d="M20 26.6 L24 29 L20 34.4 L16 29 Z" fill="var(--color-sheet)" strokeWidth="1.1" strokeLinejoin="round" />
    </svg>
  );
}

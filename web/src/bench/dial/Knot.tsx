/** The thread at twelve o'clock: knotted when the loop closes, its ends apart when it does not. */
export function Knot({ closed }: { closed: boolean }) {
  return (
    <svg className="knot" width="30" height="16" viewBox="0 0 30 16" aria-hidden="true">
      {closed ? (
        <path d="M1 13 C7 13 9 10 12 8 C18 3 22 6 19 9 C16 12 9 10 11 5 C13 1 19 3 19 7 C21 11 24 13 29 13" fill="none" stroke="currentColor" strokeWidth="1.8" strokeLinecap="round" />
      ) : (
        <path d="M1 13 C6 13 9 11 11 6 M19 3 C20 9 24 13 29 13" fill="none" stroke="currentColor" strokeWidth="1.8" strokeLinecap="round" />
      )}
    </svg>
  );
}

export function NotFound() {
  return (
    <main className="door">
      <h1 className="answer">There is nothing at this address</h1>
      <p>
        <a href="/">To the first view</a>
      </p>
    </main>
  );
}

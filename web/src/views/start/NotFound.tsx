import { Answer } from "@/ui/text";
import { Door } from "@/ui/Door";
export function NotFound() {
  return (
    <Door>
      <Answer>There is nothing at this address</Answer>
      <p>
        <a href="/">To the first view</a>
      </p>
    </Door>
  );
}

import Button from "@mui/material/Button";

import { Row } from "../../parts/layout";
import { focused } from "../../parts/useUndo";

/** The two ways out of an act in the margin: doing it, once it can be done, and leaving everything as it is. */
export function ActOrLeave({
  act,
  leave = "leave it",
  onClose,
  lost,
  takes,
  ready = true,
}: {
  act: string;
  leave?: string;
  onClose: () => void;
  /** What is done takes something away. */
  lost?: boolean;
  /** The focus goes to the act as soon as it can be done. */
  takes?: boolean;
  ready?: boolean;
}) {
  return (
    <Row mid wrap sx={{ marginTop: 8 }}>
      <Button
        type="submit"
        variant={lost ? "outlined" : "contained"}
        color={lost ? "error" : "primary"}
        disabled={!ready}
        ref={takes && ready ? focused : undefined}
      >
        {act}
      </Button>
      <Button variant="text" onClick={onClose}>
        {leave}
      </Button>
    </Row>
  );
}

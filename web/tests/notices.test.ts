import { clearNotice, tell, tellFault, useNotices } from "../src/ui/notices";
import { equal, test } from "./check";

const said = () => useNotices.getState().list.map((n) => n.words);

test("a notice takes the place of the one before it, a fault stands until it is mended", () => {
  useNotices.setState({ list: [] });
  tell({ key: "bench", words: "one" });
  tell({ key: "bench", words: "two" });
  tellFault("server", "away");
  equal(said(), ["away", "two"]);
  const before = useNotices.getState().list;
  tellFault("server", "away");
  equal(useNotices.getState().list === before, true, "the same fault is told once");
  tellFault("server", null);
  equal(said(), ["two"]);
  clearNotice("bench");
  equal(said(), []);
});

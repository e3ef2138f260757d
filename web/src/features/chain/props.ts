import type { Schemas } from "../../api/client";
import type { ViewProps } from "../../ui/view";

export interface ChainViewProps extends ViewProps {
  chain: Schemas["ChainView"];
}

/** What was asked of the server and need not be asked again. */
import { QueryClient } from "@tanstack/react-query";

export const queries = new QueryClient();

import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** Folders from the ground up: each imports only from those before it, so that none comes back round. */
const FOLDERS = [
  "client", // the API: its types and calls
  "desk", // what is chosen, typed and proposed, and what can be done with it
  "api", // the server's state, and gestures on it
  "shared",
  "build",
  "board",
  "sentences",
  "trail",
  "readout",
  "parameters",
  "lens",
  "importing",
  "start",
  "data",
  "model",
  "quality",
  "effects",
  "compare",
  "report",
  "finder",
  "frame",
];

const directions = FOLDERS.map((folder, at) => ({
  files: [`src/${folder}/**/*.{ts,tsx}`],
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: FOLDERS.slice(at + 1).map((other) => ({
          group: [`../${other}/*`],
          message: `${folder} stands below ${other}; see FOLDERS in eslint.config.js.`,
        })),
      },
    ],
  },
}));

export default tseslint.config(
  { ignores: ["dist", "src/client/schema.ts"] },
  js.configs.recommended,
  ...tseslint.configs.strict,
  {
    files: ["src/**/*.{ts,tsx}"],
    plugins: { "react-hooks": hooks },
    rules: { ...hooks.configs.recommended.rules },
  },
  ...directions,
);

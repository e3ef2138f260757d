import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

// The dependency rule of the front end: app > features > plots, ui > lib; features never import each other.
const not = (...patterns) => ({
  "no-restricted-imports": ["error", { patterns: patterns.map((group) => ({ group: [group] })) }],
});
const features = ["chain", "job", "kit", "link", "base", "watch", "check", "fit", "book", "hand", "about"];

export default tseslint.config(
  { ignores: ["src/api/schema.d.ts"] },
  ...tseslint.configs.recommended,
  { plugins: { "react-hooks": hooks }, rules: hooks.configs.recommended.rules },
  // A function is read at one sight: parts, hooks and lists of its own for what is longer.
  { files: ["src/**"], ignores: ["src/**/*.test.*"], rules: { "max-lines-per-function": ["error", 60] } },
  { files: ["src/lib/**"], rules: not("**/app/**", "**/features/**", "**/ui/**", "**/plots/**") },
  { files: ["src/ui/**"], rules: not("**/app/**", "**/features/**", "**/plots/**") },
  { files: ["src/plots/**"], rules: not("**/app/**", "**/features/**") },
  ...features.map((name) => ({
    files: [`src/features/${name}/**`],
    rules: not("**/app/**", ...features.filter((other) => other !== name).map((other) => `**/${other}/**`)),
  })),
);

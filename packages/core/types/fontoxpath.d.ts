// The types of the package itself bring those of browsers into every program that is checked with them.
declare const fontoxpath: {
  evaluateXPathToStrings: (
    expression: string,
    contextItem: unknown,
    domFacade: null,
    variables: null,
    options: { namespaceResolver?: (prefix: string) => string | null },
  ) => string[];
};
export default fontoxpath;

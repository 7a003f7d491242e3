// Reads "KIND<tab>PATH" lines, and prints what the library itself makes of the configuration, in Base64.
const readline = require('readline');

function of(kind, path) {
  const config = require(path);
  if (kind === 'knex') {
    const made = require('knex')(config.production);
    const found = made.client.connectionSettings; // which shows no password unless it is asked for
    return { ...found, password: found.password };
  }
  if (kind === 'sequelize') {
    const { Sequelize } = require('sequelize');
    const given = config.production;
    const made = new Sequelize(given.database, given.username, given.password, { ...given, logging: false });
    return { ...made.config, password: made.config.password, other: made.options.dialect };
  }
  const { host, port, username, password, database, schema } = config.AppDataSource.options;
  return { host, port, username, password, database, schema };
}

readline.createInterface({ input: process.stdin }).on('line', (line) => {
  const [kind, path] = line.split('\t');
  try {
    const found = Object.entries(of(kind, path)).filter(([, value]) => value === null || typeof value !== 'object');
    const encoded = (value) => Buffer.from(String(value)).toString('base64');
    console.log(found.map(([name, value]) => `${encoded(name)}:${encoded(value)}`).join(' '));
  } catch (error) {
    console.log('error', String(error).replace(/\n/g, ' '));
  }
});

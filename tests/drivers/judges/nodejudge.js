// Reads lines "driver base64-of-text"; answers with what that Node.js driver read: name:base64 pairs, or "refused".
const lines = require('readline').createInterface({ input: process.stdin })
process.removeAllListeners('warning')
process.on('warning', () => {})

const readers = {
  'node-pg': (text) => {
    const found = new (require('pg/lib/connection-parameters'))(text)
    const verifies = found.ssl ? String(found.ssl.rejectUnauthorized !== false) : 'no TLS'
    return { ...pick(found, ['user', 'password', 'host', 'port', 'database', 'application_name']), verifies }
  },
  mysql2: (text) => pick(require(require('path').join(require('path').dirname(require.resolve('mysql2')), 'lib/connection_config.js')).parseUrl(text), ['user', 'password', 'host', 'port', 'database', 'connectTimeout', 'timezone']),
  ioredis: (text) => pick(require('ioredis/built/utils').parseURL(text), ['username', 'password', 'host', 'port', 'db', 'connectionName', 'connectTimeout']),
  'mongo-node': (text) => {
    const found = require('mongodb/lib/connection_string').parseOptions(text)
    const login = found.credentials ?? {}
    return {
      hosts: found.hosts.map(String).join(','), user: login.username, password: login.password, source: login.source,
      database: found.dbName, name: found.appName, timeout: found.connectTimeoutMS, tls: found.tls, anyName: found.tlsAllowInvalidHostnames ?? !!found.checkServerIdentity
    }
  }
}

const pick = (found, names) => Object.fromEntries(names.map((name) => [name, found[name]]))

lines.on('line', (line) => {
  const [driver, encoded] = line.split(' ')
  let found
  try {
    found = readers[driver](Buffer.from(encoded, 'base64').toString('utf8'))
  } catch (refused) {
    console.log('refused')
    return
  }
  const pairs = Object.entries(found).map(([name, value]) => name + ':' + Buffer.from(String(value ?? '')).toString('base64'))
  console.log(['read', ...pairs].join(' '))
})

// Reads lines "driver base64-of-text"; answers with what that Node.js driver read: name:base64 pairs, or "refused".
const lines = require('readline').createInterface({ input: process.stdin })
process.removeAllListeners('warning')
process.on('warning', () => {})

// the options that a driver read, those apart that have a name of their own
const rest = (found, names) => Object.fromEntries(Object.entries(found).filter(([name, value]) => !names.includes(name) && value !== undefined && /^[^ :]+$/.test(name)))
const path = require('path')
const parts = ['user', 'password', 'host', 'port', 'database']

const readers = {
  'node-pg': (text) => {
    const found = new (require('pg/lib/connection-parameters'))(text)
    const verifies = found.ssl ? String(found.ssl.rejectUnauthorized !== false) : 'no TLS'
    return { ...pick(found, [...parts, 'application_name']), verifies }
  },
  'node-pg all': (text) => {
    const found = readers['node-pg'](text)
    return { ...found, ...rest(require('pg-connection-string').parse(text), [...parts, 'ssl']) }
  },
  mysql2: (text) => pick(mysql2(text), [...parts, 'connectTimeout', 'timezone']),
  'mysql2 all': (text) => {
    const found = mysql2(text)
    const ssl = new (require(path.join(path.dirname(require.resolve('mysql2')), 'lib/connection_config.js')))({ ...found }).ssl
    return { ...pick(found, parts), ...rest(found, [...parts, 'ssl']), verifies: ssl ? String(ssl.rejectUnauthorized !== false) + (ssl.verifyIdentity ? ' name' : '') : 'no TLS' }
  },
  'node-mariadb all': (text) => {
    const Options = require(path.join(process.env.NODE_PATH, 'mariadb/lib/config/connection-options.js')).default
    const [found, given] = [new Options(text), Options.parse(text)]
    return { ...pick(found, parts), ...rest(given, [...parts, 'ssl']), verifies: found.ssl ? String(found.ssl.rejectUnauthorized !== false) : 'no TLS' }
  },
  ioredis: (text) => pick(require('ioredis/built/utils').parseURL(text), ['username', 'password', 'host', 'port', 'db', 'connectionName', 'connectTimeout']),
  'ioredis all': (text) => {
    const found = require('ioredis/built/utils').parseURL(text)
    return { ...pick(found, ['username', 'password', 'host', 'port', 'path', 'db']), ...rest(found, ['username', 'password', 'host', 'port', 'path', 'db', 'tls']), verifies: text.startsWith('rediss') ? 'true' : 'no TLS' }
  },
  'node-redis': (text) => {
    const found = require('@redis/client/dist/lib/client').default.parseURL(text)
    return { ...pick(found, ['username', 'password', 'database']), ...pick(found.socket, ['host', 'port', 'tls']) }
  },
  'libsql-client': (text) => {
    const found = require('@libsql/core/config').expandConfig({ url: text }, true)
    return { ...pick(found.authority, ['host', 'port']), ...pick(found, ['authToken', 'tls']) }
  },
  amqplib: (text) => {
    // it connects at once: what it would connect with is taken instead, as far as its own code goes
    const net = require('net')
    let seen = {}
    const [plain, tls] = [net.connect, require('tls').connect]
    const socket = { once () {}, on () {}, setNoDelay () {}, removeListener () {} }
    net.connect = require('tls').connect = (options) => { seen = options; return socket }
    const connecting = require(path.join(process.env.NODE_PATH, 'amqplib/lib/connect.js'))
    try { connecting.connect(text, {}, () => {}) } finally { [net.connect, require('tls').connect] = [plain, tls] }
    const [, user, password] = connecting.credentialsFromUrl(new URL(text)).response().toString().split('\0')
    return { ...pick(seen, ['host', 'port']), user, password }
  },
  'mongo-node': (text) => {
    const found = require('mongodb/lib/connection_string').parseOptions(text)
    const login = found.credentials ?? {}
    return {
      hosts: found.hosts.map(String).join(','), user: login.username, password: login.password, source: login.source,
      database: found.dbName, name: found.appName, timeout: found.connectTimeoutMS, tls: found.tls, anyName: found.tlsAllowInvalidHostnames ?? !!found.checkServerIdentity
    }
  }
}
const mysql2 = (text) => require(path.join(path.dirname(require.resolve('mysql2')), 'lib/connection_config.js')).parseUrl(text)

const pick = (found, names) => Object.fromEntries(names.map((name) => [name, found[name]]))

lines.on('line', (line) => {
  const [driver, encoded] = line.split(' ')
  const name = driver.replaceAll('_', ' ')
  let found
  try {
    found = readers[name](Buffer.from(encoded, 'base64').toString('utf8'))
  } catch (refused) {
    console.log('refused')
    return
  }
  const pairs = Object.entries(found).map(([name, value]) => name + ':' + Buffer.from(typeof value === 'object' && value !== null ? JSON.stringify(value) : String(value ?? '')).toString('base64'))
  console.log(['read', ...pairs].join(' '))
})

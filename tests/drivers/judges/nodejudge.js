// Reads lines "driver base64-of-text"; answers with what that Node.js driver read: name:base64 pairs, or "refused".
const ConnectionParameters = require('pg/lib/connection-parameters')
const lines = require('readline').createInterface({ input: process.stdin })
process.removeAllListeners('warning')
process.on('warning', () => {})

lines.on('line', (line) => {
  const text = Buffer.from(line.split(' ')[1], 'base64').toString('utf8')
  let found
  try {
    found = new ConnectionParameters(text)
  } catch (refused) {
    console.log('refused')
    return
  }
  const names = ['user', 'password', 'host', 'port', 'database', 'application_name']
  const pairs = names.map((name) => name + ':' + Buffer.from(String(found[name] ?? '')).toString('base64'))
  const verifies = found.ssl ? String(found.ssl.rejectUnauthorized !== false) : 'no TLS'
  console.log(['read', ...pairs, 'verifies:' + Buffer.from(verifies).toString('base64')].join(' '))
})

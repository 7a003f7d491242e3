// Logs in with what stands on standard input, {"driver", "text", "arguments", "ask"}, and prints the answer's first row as JSON:
// [user, database] where nothing is asked. Arguments are used where the text is an object of them.
const given = JSON.parse(require('fs').readFileSync(0, 'utf8'))
const form = () => given.text.startsWith('{') ? given.arguments : given.text
const sql = given.ask || "SELECT current_user() AS u, database() AS d"
const ways = {
  'node-pg': async () => {
    const client = new (require('pg').Client)(form())
    await client.connect()
    const found = await client.query({ text: given.ask || 'SELECT current_user, current_database()', rowMode: 'array' })
    await client.end()
    return found.rows[0]
  },
  mysql2: async () => {
    const client = await require('mysql2/promise').createConnection(form())
    const [rows] = await client.query({ sql, rowsAsArray: true })
    await client.end()
    return rows[0]
  },
  'node-mariadb': async () => {
    const client = await require('mariadb').createConnection(form())
    const rows = await client.query({ sql, rowsAsArray: true })
    await client.end()
    return rows[0]
  },
  ioredis: async () => {
    const client = new (require('ioredis'))(form(), { maxRetriesPerRequest: 1, retryStrategy: null })
    if (given.ask) return [await client.ping() && await client.quit() && Boolean(client.options.tls)]
    const user = await client.call('ACL', 'WHOAMI')
    const info = await client.call('CLIENT', 'INFO')
    await client.quit()
    return [user, String(info).match(/ db=(\d+)/)[1]]
  }
}
ways[given.driver]().then((row) => console.log(JSON.stringify(row)), (error) => { console.error(error); process.exit(1) })

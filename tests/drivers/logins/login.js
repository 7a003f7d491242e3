// Logs in with what stands on standard input, {"driver", "text", "arguments"}, and prints [user, database] as JSON.
const given = JSON.parse(require('fs').readFileSync(0, 'utf8'))
const sql = "SELECT current_user() AS u, database() AS d"
const ways = {
  'node-pg': async () => {
    const client = new (require('pg').Client)(given.text)
    await client.connect()
    const found = await client.query({ text: 'SELECT current_user, current_database()', rowMode: 'array' })
    await client.end()
    return found.rows[0]
  },
  mysql2: async () => {
    const client = await require('mysql2/promise').createConnection(given.text)
    const [rows] = await client.query({ sql, rowsAsArray: true })
    await client.end()
    return rows[0]
  },
  'node-mariadb': async () => {
    const client = await require('mariadb').createConnection(given.text)
    const rows = await client.query({ sql, rowsAsArray: true })
    await client.end()
    return rows[0]
  },
  ioredis: async () => {
    const client = new (require('ioredis'))(given.text, { maxRetriesPerRequest: 1, retryStrategy: null })
    const user = await client.call('ACL', 'WHOAMI')
    const info = await client.call('CLIENT', 'INFO')
    await client.quit()
    return [user, String(info).match(/ db=(\d+)/)[1]]
  }
}
ways[given.driver]().then((row) => console.log(JSON.stringify(row)), (error) => { console.error(error); process.exit(1) })

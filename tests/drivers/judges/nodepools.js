// Opens one of Node's pools and does with it what each line says; answers carry the line's number, in their own time.
const readline = require('readline')

const [name, port, user, password] = process.argv.slice(2)
const where = { host: '127.0.0.1', port: Number(port), user, password }
let made = 0
const factory = { create: async () => ({ number: ++made }), destroy: async () => {}, validate: () => true }

const POOLS = {
  'pg-pool': (settings) => {
    const pool = new (require('pg').Pool)({ ...where, database: 'postgres', ...settings })
    pool.on('error', () => {})
    return { take: () => pool.connect(), give: (one) => one.release(), who: (one) => one.processID }
  },
  'mysql2-pool': (settings) => {
    const pool = require('mysql2/promise').createPool({ ...where, ...settings })
    return { take: () => pool.getConnection(), give: (one) => one.release(), who: (one) => one.threadId }
  },
  'mariadb-node-pool': (settings) => {
    const pool = require('mariadb').createPool({ ...where, ...settings })
    return { take: () => pool.getConnection(), give: (one) => one.release(), who: (one) => one.threadId }
  },
  tarn: (settings) => {
    const pool = new (require('tarn').Pool)({ ...factory, ...settings })
    return { take: () => pool.acquire().promise, give: (one) => pool.release(one), who: (one) => one.number }
  },
  'generic-pool': (settings) => {
    const pool = require('generic-pool').createPool(factory, settings)
    return { take: () => pool.acquire(), give: (one) => pool.release(one), who: (one) => one.number }
  }
}

let pool
const held = new Map()
const answer = (number, what) => console.log(JSON.stringify({ number, ...what }))
readline.createInterface({ input: process.stdin }).on('line', async (line) => {
  const { number, what, settings, one } = JSON.parse(line)
  try {
    if (what === 'open') pool = POOLS[name](settings)
    else if (what === 'give') await pool.give(held.get(one))
    else {
      const taken = await pool.take()
      held.set(pool.who(taken), taken)
      return answer(number, { who: pool.who(taken) })
    }
    answer(number, {})
  } catch (error) {
    answer(number, { failed: String(error.message) })
  }
}).on('close', () => process.exit(0))

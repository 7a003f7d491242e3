import java.io.BufferedReader;
import java.io.InputStreamReader;
import java.lang.reflect.Method;
import java.sql.Connection;
import java.sql.ResultSet;
import java.util.HashMap;
import java.util.Map;
import java.util.Properties;
import javax.sql.DataSource;

/** Opens one of Java's pools upon pgJDBC and does what each line says: "number open name=value …", "number take", "number give who". */
public class PoolsJudge {
    static DataSource open(String name, String url, Properties settings) throws Exception {
        switch (name) {
            case "hikaricp":
                settings.setProperty("jdbcUrl", url);
                return new com.zaxxer.hikari.HikariDataSource(new com.zaxxer.hikari.HikariConfig(settings));
            case "dbcp2":
                settings.setProperty("url", url);
                return org.apache.commons.dbcp2.BasicDataSourceFactory.createDataSource(settings);
            default:
                com.mchange.v2.c3p0.ComboPooledDataSource pool = new com.mchange.v2.c3p0.ComboPooledDataSource();
                pool.setJdbcUrl(url);
                for (String key : settings.stringPropertyNames()) {
                    for (Method method : pool.getClass().getMethods()) {
                        if (method.getName().equalsIgnoreCase("set" + key)) {
                            method.invoke(pool, Integer.valueOf(settings.getProperty(key)));
                        }
                    }
                }
                return pool;
        }
    }

    static int who(Connection connection) throws Exception {
        try (ResultSet rows = connection.createStatement().executeQuery("SELECT pg_backend_pid()")) {
            rows.next();
            return rows.getInt(1);
        }
    }

    static synchronized void answer(String number, String rest) {
        System.out.println("{\"number\": " + number + rest + "}");
    }

    public static void main(String[] given) throws Exception {
        DataSource[] pool = new DataSource[1];
        Map<Integer, Connection> held = new HashMap<>();
        BufferedReader in = new BufferedReader(new InputStreamReader(System.in));
        for (String line; (line = in.readLine()) != null; ) {
            String[] words = line.split(" ");
            // all in one thread, as a request would be: HikariCP gives a thread what it had last
            try {
                if (words[1].equals("open")) {
                    Properties settings = new Properties();
                    for (int k = 2; k < words.length; k++) {
                        settings.setProperty(words[k].split("=")[0], words[k].split("=")[1]);
                    }
                    pool[0] = open(given[0], given[1], settings);
                    answer(words[0], "");
                } else if (words[1].equals("give")) {
                    held.remove(Integer.valueOf(words[2])).close();
                    answer(words[0], "");
                } else {
                    Connection connection = pool[0].getConnection();
                    int who = who(connection);
                    held.put(who, connection);
                    answer(words[0], ", \"who\": " + who);
                }
            } catch (Exception error) {
                answer(words[0], ", \"failed\": true");
            }
        }
        System.exit(0);
    }
}

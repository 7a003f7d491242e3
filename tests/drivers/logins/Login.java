import java.io.BufferedReader;
import java.io.InputStreamReader;
import java.io.PrintStream;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.util.Base64;

import static java.nio.charset.StandardCharsets.UTF_8;

/** Reads lines "driver base64-of-URL base64-of-question"; logs in, asks, and answers with the first row: "row" and base64 words, or "refused". */
public class Login {
    static String decode(String word) {
        return new String(Base64.getDecoder().decode(word), UTF_8);
    }

    static String encode(String text) {
        return Base64.getEncoder().encodeToString(String.valueOf(text).getBytes(UTF_8));
    }

    public static void main(String[] unused) throws Exception {
        java.util.logging.LogManager.getLogManager().reset();
        PrintStream answers = System.out;
        System.setOut(System.err); // where drivers log
        Class.forName("org.postgresql.Driver");
        Class.forName("org.mariadb.jdbc.Driver");
        BufferedReader in = new BufferedReader(new InputStreamReader(System.in, UTF_8));
        for (String line; (line = in.readLine()) != null; ) {
            String[] words = line.split(" ");
            try (Connection connection = DriverManager.getConnection(decode(words[1]));
                 ResultSet rows = connection.createStatement().executeQuery(decode(words[2]))) {
                rows.next();
                StringBuilder row = new StringBuilder("row");
                for (int column = 1; column <= rows.getMetaData().getColumnCount(); column++) row.append(' ').append(encode(rows.getString(column)));
                answers.println(row);
            } catch (Throwable refused) {
                answers.println("refused " + encode(refused.toString()));
            }
        }
    }
}

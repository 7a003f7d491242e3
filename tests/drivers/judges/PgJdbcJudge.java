import java.io.*;
import java.util.*;
import static java.nio.charset.StandardCharsets.UTF_8;

/** Reads base64 lines, each a JDBC URL; answers with what pgJDBC read: name:base64 pairs, or "refused". */
public class PgJdbcJudge {
  public static void main(String[] unused) throws IOException {
    java.util.logging.LogManager.getLogManager().reset();
    PrintStream answers = System.out;
    System.setOut(System.err); // where drivers log
    BufferedReader in = new BufferedReader(new InputStreamReader(System.in, UTF_8));
    for (String line; (line = in.readLine()) != null; ) {
      Properties found = null;
      try {
        found = org.postgresql.Driver.parseURL(new String(Base64.getDecoder().decode(line), UTF_8), new Properties());
      } catch (Throwable refused) {
        found = null;
      }
      if (found == null) { answers.println("refused"); continue; }
      StringBuilder out = new StringBuilder("read");
      for (String name : new TreeSet<>(found.stringPropertyNames()))
        out.append(' ').append(name).append(':').append(Base64.getEncoder().encodeToString(found.getProperty(name).getBytes(UTF_8)));
      answers.println(out);
    }
  }
}

import java.io.*;
import java.util.*;
import org.mariadb.jdbc.HostAddress;
import org.mariadb.jdbc.UrlParser;
import static java.nio.charset.StandardCharsets.UTF_8;

/** Reads base64 lines, each a JDBC URL; answers with what MariaDB Connector/J 2.7 read: name:base64 pairs, or "refused". */
public class MariaDbJudge {
  static void put(StringBuilder out, String name, Object value) {
    if (value != null) out.append(' ').append(name).append(':').append(Base64.getEncoder().encodeToString(value.toString().getBytes(UTF_8)));
  }

  public static void main(String[] unused) throws IOException {
    PrintStream answers = System.out;
    System.setOut(System.err); // where drivers log
    BufferedReader in = new BufferedReader(new InputStreamReader(System.in, UTF_8));
    for (String line; (line = in.readLine()) != null; ) {
      try {
        UrlParser found = UrlParser.parse(new String(Base64.getDecoder().decode(line), UTF_8), new Properties());
        StringBuilder out = new StringBuilder("read"), hosts = new StringBuilder();
        for (HostAddress host : found.getHostAddresses()) hosts.append(hosts.length() > 0 ? "," : "").append(host.host).append('|').append(host.port);
        put(out, "hosts", hosts);
        put(out, "database", found.getDatabase());
        put(out, "user", found.getUsername());
        put(out, "password", found.getPassword());
        put(out, "connectTimeout", found.getOptions().connectTimeout);
        put(out, "localSocket", found.getOptions().localSocket);
        put(out, "localSocketAddress", found.getOptions().localSocketAddress);
        put(out, "useSsl", found.getOptions().useSsl);
        put(out, "trustServerCertificate", found.getOptions().trustServerCertificate);
        put(out, "disableSslHostnameVerification", found.getOptions().disableSslHostnameVerification);
        answers.println(out);
      } catch (Throwable refused) {
        answers.println("refused");
      }
    }
  }
}

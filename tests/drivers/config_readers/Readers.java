// Reads "KIND<tab>PATH" lines, and prints what the framework's own reader makes of the file, as names and values in Base64.
import java.io.*;
import java.nio.charset.StandardCharsets;
import java.util.*;

public class Readers {
    static void put(Map<String, String> found, String name, Object value) {
        found.put(name, String.valueOf(value));
    }

    static void flat(Map<String, String> found, String above, Object value) {
        if (value instanceof Map<?, ?> map) {
            map.forEach((key, inner) -> flat(found, above.isEmpty() ? key.toString() : above + "." + key, inner));
        } else {
            put(found, above, value);
        }
    }

    static Map<String, String> read(String kind, File file) throws Exception {
        Map<String, String> found = new TreeMap<>();
        switch (kind) {
            case "properties" -> {
                Properties given = new Properties();
                given.load(new FileInputStream(file));
                given.forEach((name, value) -> put(found, name.toString(), value));
            }
            case "yaml" -> flat(found, "", new org.yaml.snakeyaml.Yaml().load(new FileInputStream(file)));
            case "tomcat" -> {
                var digester = new org.apache.tomcat.util.digester.Digester();
                digester.addRule("Context/Resource", new org.apache.tomcat.util.digester.Rule() {
                    @Override
                    public void begin(String space, String name, org.xml.sax.Attributes attributes) {
                        for (int i = 0; i < attributes.getLength(); i++) {
                            put(found, attributes.getQName(i), attributes.getValue(i));
                        }
                    }
                });
                digester.parse(file);
            }
            case "hibernate" -> {
                Properties given = new org.hibernate.cfg.Configuration().configure(file).getProperties();
                for (String name : List.of("url", "username", "password", "driver_class")) {
                    put(found, name, given.getProperty("hibernate.connection." + name));
                }
            }
            default -> throw new IllegalArgumentException(kind);
        }
        return found;
    }

    public static void main(String[] arguments) throws Exception {
        var lines = new BufferedReader(new InputStreamReader(System.in, StandardCharsets.UTF_8));
        var out = new PrintStream(new FileOutputStream(FileDescriptor.out), true, "UTF-8");
        System.setOut(System.err); // what libraries print is none of the answer
        for (String line; (line = lines.readLine()) != null; ) {
            String[] parts = line.split("\t");
            StringBuilder answer = new StringBuilder();
            try {
                for (var entry : read(parts[0], new File(parts[1])).entrySet()) {
                    var encoder = Base64.getEncoder();
                    answer.append(encoder.encodeToString(entry.getKey().getBytes(StandardCharsets.UTF_8))).append(':');
                    answer.append(encoder.encodeToString(entry.getValue().getBytes(StandardCharsets.UTF_8))).append(' ');
                }
            } catch (Exception error) {
                answer.append("error ").append(error.toString().replace('\n', ' '));
            }
            out.println(answer.toString().trim());
        }
    }
}

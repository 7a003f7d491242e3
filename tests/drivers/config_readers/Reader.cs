// Reads paths, and prints the connection strings that System.Configuration finds in each, in Base64.
using System;
using System.Configuration;
using System.Text;

class Reader
{
    static void Main()
    {
        for (string line; (line = Console.ReadLine()) != null; )
        {
            var map = new ExeConfigurationFileMap { ExeConfigFilename = line.Split('\t')[1] };
            var found = ConfigurationManager.OpenMappedExeConfiguration(map, ConfigurationUserLevel.None);
            var answer = new StringBuilder();
            foreach (ConnectionStringSettings one in found.ConnectionStrings.ConnectionStrings)
                if (one.Name != "LocalSqlServer")
                    answer.Append(Encoded(one.Name)).Append(':').Append(Encoded(one.ConnectionString)).Append(' ');
            Console.WriteLine(answer.ToString().Trim());
        }
    }

    static string Encoded(string text) { return Convert.ToBase64String(Encoding.UTF8.GetBytes(text ?? "")); }
}

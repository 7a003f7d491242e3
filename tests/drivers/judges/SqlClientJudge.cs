// Reads lines of base64; answers with what .NET's SqlConnectionStringBuilder read: name:base64 pairs, or "refused".
using System;
using System.Data.SqlClient;
using System.Text;

class SqlClientJudge
{
    static string Encode(string text) { return Convert.ToBase64String(Encoding.UTF8.GetBytes(text)); }

    static void Main()
    {
        for (string line; (line = Console.ReadLine()) != null;)
        {
            try
            {
                var read = new SqlConnectionStringBuilder(Encoding.UTF8.GetString(Convert.FromBase64String(line.Trim())));
                Console.WriteLine("read source:{0} user:{1} password:{2} database:{3} name:{4} timeout:{5} integrated:{6} any:{7}",
                    Encode(read.DataSource), Encode(read.UserID), Encode(read.Password), Encode(read.InitialCatalog),
                    Encode(read.ApplicationName), Encode(read.ConnectTimeout.ToString()), Encode(read.IntegratedSecurity.ToString()),
                    Encode(read.TrustServerCertificate.ToString()));
            }
            catch (Exception) { Console.WriteLine("refused"); }
        }
    }
}

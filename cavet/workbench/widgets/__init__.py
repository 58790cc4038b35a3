"""The widgets: each shows a picture and posts messages. They decide nothing and open nothing."""

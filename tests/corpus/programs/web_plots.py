import plotly.graph_objects as go
import plotly.express
figure = go.Figure(go.Bar(x=["a", "b"], y=[1, 2]))
figure.update_layout(title="Tides", template="plotly_white")
print(figure.to_json()[:60])
page = figure.to_html(include_plotlyjs=True)
print(len(page) > 1000000)
print(plotly.express.scatter(x=[1, 2], y=[3, 4]).data[0].type)

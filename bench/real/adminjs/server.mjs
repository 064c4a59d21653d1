// A small host of AdminJS: two tables behind its generated pages, sessions in memory. It is copied to where its packages are.
import AdminJS from 'adminjs';
import AdminJSExpress from '@adminjs/express';
import * as AdminJSSequelize from '@adminjs/sequelize';
import express from 'express';
import { DataTypes, Sequelize } from 'sequelize';

const [port, database, door] = process.argv.slice(2);
const sequelize = new Sequelize(database, { logging: false });
const grower = sequelize.define('grower', { name: DataTypes.STRING, town: DataTypes.STRING });
const intake = sequelize.define('intake', {
  title: { type: DataTypes.STRING, allowNull: false },
  pallets: DataTypes.INTEGER,
  state: DataTypes.ENUM('expected', 'arrived', 'stored', 'released'),
  chilled: DataTypes.BOOLEAN,
});
intake.belongsTo(grower, { foreignKey: 'growerId' });
await sequelize.sync();
await grower.bulkCreate(['Almond', 'Birch', 'Cedar', 'Dogwood', 'Elder', 'Fir'].map((name, at) => ({ name, town: `Quay ${at + 1}` })));
await intake.bulkCreate(
  Array.from({ length: 7 }, (_, at) => ({ title: `Old load ${at + 1}`, pallets: at + 2, state: 'stored', growerId: (at % 6) + 1 })),
);

AdminJS.registerAdapter({ Resource: AdminJSSequelize.Resource, Database: AdminJSSequelize.Database });
const admin = new AdminJS({ resources: [grower, intake], rootPath: '/admin' });
await admin.initialize();
// Behind a single sign-on it has no door of its own.
const router =
  door === 'open'
    ? AdminJSExpress.buildRouter(admin)
    : AdminJSExpress.buildAuthenticatedRouter(
        admin,
        {
          authenticate: (email, password) => (password === 'tulip-42' ? { email } : null),
          cookieName: 'stall',
          cookiePassword: 'a made-up secret of enough length',
        },
        null,
        { resave: false, saveUninitialized: true, secret: 'a made-up secret of enough length' },
      );
const app = express();
app.use(admin.options.rootPath, router);
app.listen(Number(port), '127.0.0.1');
